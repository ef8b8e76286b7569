package sheet

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"sync"
	"testing"

	"github.com/xuri/excelize/v2"
)

const benchRows, benchColumns = 50_000, 20

var benchBook = sync.OnceValues(func() ([]byte, error) {
	f := excelize.NewFile()
	w, err := f.NewStreamWriter("Sheet1")
	if err != nil {
		return nil, err
	}
	for n := range benchRows + 1 {
		row := make([]any, benchColumns)
		for i := range row {
			switch {
			case n == 0:
				row[i] = fmt.Sprintf("Column %d", i)
			case i%3 == 0:
				row[i] = n * i
			default:
				row[i] = fmt.Sprintf("value %d of %d", i, n)
			}
		}
		cell, _ := excelize.CoordinatesToCellName(1, n+1)
		if err := w.SetRow(cell, row); err != nil {
			return nil, err
		}
	}
	if err := w.Flush(); err != nil {
		return nil, err
	}
	var buf bytes.Buffer
	_, err = f.WriteTo(&buf)
	return buf.Bytes(), err
})

func readBench(b *testing.B, src Source, set Reading) {
	b.Helper()
	reading, _, err := Detect(src, set)
	if err != nil {
		b.Fatal(err)
	}
	t, err := Open(src, reading, DefaultLimits)
	if err != nil {
		b.Fatal(err)
	}
	defer t.Close()
	n := 0
	for {
		if _, err := t.Next(); err == io.EOF {
			break
		} else if err != nil {
			b.Fatal(err)
		}
		n++
	}
	if n != benchRows {
		b.Fatalf("%d rows", n)
	}
}

func BenchmarkWorkbook(b *testing.B) {
	book, err := benchBook()
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		readBench(b, bytesSource("b.xlsx", book), Reading{})
	}
}

// The bare library, for comparison.
func BenchmarkWorkbookBare(b *testing.B) {
	book, err := benchBook()
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		f, err := excelize.OpenReader(bytes.NewReader(book))
		if err != nil {
			b.Fatal(err)
		}
		rows, err := f.Rows("Sheet1")
		if err != nil {
			b.Fatal(err)
		}
		for rows.Next() {
			if _, err := rows.Columns(); err != nil {
				b.Fatal(err)
			}
		}
	}
}

func benchText() []byte {
	var buf bytes.Buffer
	w := csv.NewWriter(&buf)
	for n := range benchRows + 1 {
		row := make([]string, benchColumns)
		for i := range row {
			row[i] = fmt.Sprintf("value %d of %d", i, n)
		}
		w.Write(row) //nolint:errcheck // into memory
	}
	w.Flush()
	return buf.Bytes()
}

func BenchmarkText(b *testing.B) {
	text := benchText()
	b.SetBytes(int64(len(text)))
	for b.Loop() {
		readBench(b, bytesSource("b.csv", text), Reading{})
	}
}

// The standard library, for comparison.
func BenchmarkTextBare(b *testing.B) {
	text := benchText()
	b.SetBytes(int64(len(text)))
	for b.Loop() {
		r := csv.NewReader(bytes.NewReader(text))
		r.ReuseRecord = true
		for {
			if _, err := r.Read(); err == io.EOF {
				break
			} else if err != nil {
				b.Fatal(err)
			}
		}
	}
}

func BenchmarkProfile(b *testing.B) {
	rows := make([]Row, 20_000)
	for n := range rows {
		rows[n] = Row{Number: int64(n + 2), Cells: []string{fmt.Sprintf("BM-%07d", n), "Ingrid", "Nordlie",
			fmt.Sprintf("p%d@quaymail.example", n), fmt.Sprintf("+4755%06d", n*37%1_000_000), "Harbour master",
			fmt.Sprintf("Bryggeveien %d", n%200), "Skarvika", "", fmt.Sprintf("%05d", n*17%100_000), "NO",
			fmt.Sprintf("%d-%02d-%02d", 1940+n%60, n%12+1, n%28+1), ""}}
	}
	for b.Loop() {
		p := NewProfiler(make([]string, 13))
		for _, r := range rows {
			p.Add(r)
		}
		p.Profile()
	}
}
