package sheet_test

import (
	"fmt"
	"io"
	"strings"

	"uchi/internal/core/sheet"
)

// How a source is read is detected first, each finding with its evidence; then
// its rows pass as a stream.
func ExampleOpen() {
	const text = "Name;Town\nTern Marina;Ternvik\nGull Marina;Gullvik\n"
	src := sheet.Source{Name: "marinas.csv", Size: int64(len(text)), ReaderAt: strings.NewReader(text)}
	reading, _, err := sheet.Detect(src, sheet.Reading{})
	if err != nil {
		fmt.Println(err)
		return
	}
	table, err := sheet.Open(src, reading, sheet.DefaultLimits)
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(table.Header)
	for {
		row, err := table.Next()
		if err == io.EOF {
			return
		}
		if err != nil {
			fmt.Println(err)
			return
		}
		fmt.Println(row.Number, row.Cells)
	}
	// Output:
	// [Name Town]
	// 2 [Tern Marina Ternvik]
	// 3 [Gull Marina Gullvik]
}
