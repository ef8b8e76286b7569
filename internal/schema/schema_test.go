package schema

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"
	"uchi/internal/pgcopy"
	"uchi/internal/pgtest"

	"github.com/jackc/pgx/v5"
)

func TestMain(m *testing.M) { os.Exit(pgtest.Run(m)) }

func connect(t *testing.T) *pgx.Conn {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), pgtest.Database(t, nil))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close(context.Background()) })
	return conn
}

// texts are canonical texts of each field type, with what is at its bounds.
func texts() map[catalog.FieldType][]string {
	list := map[catalog.FieldType][]string{
		catalog.Text:     {"", "Åse", "a\tb\\n", "漢字", strings.Repeat("x", 5000)},
		catalog.LongText: {"one\ntwo"},
		catalog.Integer:  {"0", "-12", "999999999999999"},
		catalog.Decimal: {"0", "0.000001", "-0.5", "1250", "10000", "100000000", "0.0001", "12345.6789",
			"-123456789012345.123456"},
		catalog.Money:     {"0.00", "1250.00", "-3.50", "999999999999999.99"},
		catalog.Percent:   {"0", "60", "0.1234"},
		catalog.Date:      {"2026-03-31", "1000-01-01", "9999-12-31", "2000-01-01", "1999-12-31", ""},
		catalog.DateTime:  {"2026-07-01T10:30:00Z", "1970-01-01T00:00:00Z"},
		catalog.YesNo:     {"true", "false", ""},
		catalog.OneChoice: {"high"},
		catalog.Choices:   {"a;b", "a", ""},
		catalog.Email:     {"a@lanternquay.example"},
		catalog.Phone:     {"+4722000000"},
		catalog.URL:       {"https://lanternquay.example/"},
		catalog.Country:   {"NO"},
		catalog.Language:  {"nb"},
		catalog.Currency:  {"NOK"},
		catalog.Reference: {"12", ""},
		catalog.File:      {strings.Repeat("0f", 32), ""},
	}
	r := rand.New(rand.NewPCG(3, 4))
	for range 200 {
		text, trouble := value.NewReader(catalog.Field{Type: catalog.Decimal},
			value.Settings{DecimalSign: "."}).Read(fmt.Sprintf("%d.%d", r.Int64N(1e12), r.IntN(1e6)))
		if trouble.Code == "" {
			list[catalog.Decimal] = append(list[catalog.Decimal], text)
		}
	}
	return list
}

// copyIn copies canonical texts of a field into a column of the table probe, in their order by its column n.
func copyIn(t *testing.T, conn *pgx.Conn, f catalog.Field, column string, texts []string) {
	t.Helper()
	on := func(_ context.Context, f func(conn *pgx.Conn) error) error { return f(conn) }
	in := pgcopy.Into(t.Context(), on, "probe", []string{"n", column})
	for n, text := range texts {
		in.Row(2)
		in.Int64(int64(n))
		if err := Copier(f)(&in.Buffer, text); err != nil {
			t.Fatalf("%s %q: %v", f.Type, text, err)
		}
		if err := in.Flush(); err != nil {
			t.Fatal(err)
		}
	}
	if err := in.End(nil); err != nil {
		t.Fatalf("%s: %v", f.Type, err)
	}
}

// Canonical texts of every field type go through COPY into columns of their form
// and come back as they were.
func TestEveryTypeComesBack(t *testing.T) {
	conn := connect(t)
	given := texts()
	for _, ft := range catalog.FieldTypes {
		f := catalog.Field{Name: "x", Type: ft}
		if len(given[ft]) == 0 {
			t.Errorf("%s: no text to try it with", ft)
			continue
		}
		if _, err := conn.Exec(t.Context(), `drop table if exists probe; create table probe (n bigint, x `+Type(f)+
			`)`); err != nil {
			t.Fatalf("%s: %v", ft, err)
		}
		copyIn(t, conn, f, "x", given[ft])
		rows, err := conn.Query(t.Context(), `select coalesce(`+Text(f, "x")+`, '') from probe order by n`)
		if err != nil {
			t.Fatal(err)
		}
		got, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil {
			t.Fatal(err)
		}
		for n, want := range given[ft] {
			if got[n] != want {
				t.Errorf("%s: %q came back as %q", ft, want, got[n])
			}
		}
	}
}

// What the history keeps of a row is read as it was, whether it is kept as texts or, as before, as values of their types.
func TestRowsComeBack(t *testing.T) {
	conn := connect(t)
	for ft, given := range texts() {
		f := catalog.Field{Name: "x", Type: ft}
		rt := catalog.RecordType{Name: "probe", Fields: []catalog.Field{{Name: "other", Type: catalog.Text}, f}}
		run(t, conn, []string{`drop table if exists probe`, `create table probe (n bigint, created_at timestamptz default now(),
			created_by bigint default 7, import bigint, f_other text default 'o"n''e', f_x ` + Type(f) + `)`})
		copyIn(t, conn, f, "f_x", given)
		rows, err := conn.Query(t.Context(), `select array[`+Row(rt, "p")+`::text,
			jsonb_strip_nulls(to_jsonb(p))::text] from probe p order by n`)
		if err != nil {
			t.Fatal(err)
		}
		kept, err := pgx.CollectRows(rows, pgx.RowTo[[]string])
		if err != nil {
			t.Fatal(err)
		}
		for n, want := range given {
			for _, row := range kept[n] {
				got := []string{"", ""}
				if err := NewRowReader(rt).Read([]byte(row), func(field int, text string) { got[field] = text }); err != nil {
					t.Fatalf("%s: %v in %s", ft, err, row)
				}
				if got[0] != `o"n'e` || got[1] != want {
					t.Errorf("%s: %q is read as %q, in %s", ft, want, got, row)
				}
			}
		}
	}
}

func TestEveryFormIsKnown(t *testing.T) {
	for _, f := range catalog.Forms {
		if _, ok := forms[f]; !ok {
			t.Errorf("the form %s has no column type", f)
		}
	}
	if len(forms) != len(catalog.Forms) {
		t.Errorf("%d forms here, %d in the catalogue", len(forms), len(catalog.Forms))
	}
}

func run(t *testing.T, conn *pgx.Conn, ddl []string) {
	t.Helper()
	for _, q := range ddl {
		if _, err := conn.Exec(t.Context(), q); err != nil {
			t.Fatalf("%v, in: %s", err, q)
		}
	}
}

// columns lists what a table has, with the kinds of index on it.
func columns(t *testing.T, conn *pgx.Conn, typeName string) string {
	t.Helper()
	var list string
	err := conn.QueryRow(t.Context(), `
		select (select string_agg(column_name || ' ' || data_type, ', ' order by column_name)
		from information_schema.columns where table_schema = 'w_main' and table_name = $1)
			|| ' | ' || (select string_agg(regexp_replace(indexdef, '^.* USING ', case
			when indexdef like '% UNIQUE %' then 'unique ' else '' end), ', ' order by indexdef) from pg_indexes
			where schemaname = 'w_main' and tablename = $1)`, "r_"+typeName).Scan(&list)
	if err != nil {
		t.Fatal(err)
	}
	return list
}

// A table that is changed step by step is the one that is made at once, and
// values stay when a field gets another name.
func TestChangeIsAsGoodAsMaking(t *testing.T) {
	conn := connect(t)
	run(t, conn, []string{`create schema w_main`})
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	account, _ := c.Type("account")
	run(t, conn, Make("main", account))
	next := account
	for _, f := range []catalog.Field{
		{Name: "berths", Label: "Berths", Type: catalog.Integer, Key: true},
		{Name: "harbour", Label: "Harbour", Type: catalog.Reference, To: "account"},
	} {
		before := next
		if next, err = c.AddField(before, f); err != nil {
			t.Fatal(err)
		}
		run(t, conn, Change("main", before, next))
	}
	run(t, conn, []string{`insert into w_main.r_account (id, created_by, changed_by, f_berths, k_berths)
		values (1, 1, 1, 7, '7')`})
	name := "moorings"
	renamed, err := c.ChangeField(next, "berths", catalog.FieldChange{Name: &name})
	if err != nil {
		t.Fatal(err)
	}
	run(t, conn, Change("main", next, renamed))
	var n int64
	if err := conn.QueryRow(t.Context(), `select f_moorings from w_main.r_account
		where k_moorings = '7'`).Scan(&n); err != nil || n != 7 {
		t.Errorf("the renamed field has %d, %v", n, err)
	}
	if more := Change("main", renamed, renamed); len(more) > 0 {
		t.Errorf("nothing has changed, but: %v", more)
	}
	changed := columns(t, conn, "account")
	run(t, conn, []string{`drop schema w_main cascade`, `create schema w_main`})
	run(t, conn, Make("main", renamed))
	if made := columns(t, conn, "account"); made != changed {
		t.Errorf("changed step by step:\n%s\nmade at once:\n%s", changed, made)
	}
}

// What becomes of fields is a JSON object of those that change, whatever their texts hold and
// however many they are.
func TestChanges(t *testing.T) {
	conn := connect(t)
	for _, n := range []int{0, 1, 2, 45, 400} {
		var list []Becomes
		for i := range n {
			list = append(list, Becomes{Field: fmt.Sprint("m", i), Is: []string{`true`, `false`, `null::boolean`}[i%3],
				Was: `null`, Now: Literal(fmt.Sprint(i))})
		}
		var members int
		if err := conn.QueryRow(t.Context(), `select count(*) from jsonb_object_keys(`+Changes(list)+
			`)`).Scan(&members); err != nil || members != (n+2)/3 {
			t.Errorf("of %d fields %d change, %v", n, members, err)
		}
	}
	for _, text := range []string{``, `a "quoted" \ one`, "lines\nand\ttabs\x01", `漢字 🛥 {"f":[1]}, ]`,
		`it's a {word} \ of 'two'`} {
		var was, now *string
		sql := `select c->'f'->>0, c->'f'->>1 from (select ` +
			Changes([]Becomes{{Field: "f", Is: `true`, Was: Literal(text), Now: `null`}}) + ` as c) x`
		if err := conn.QueryRow(t.Context(), sql).Scan(&was, &now); err != nil || was == nil || *was != text || now != nil {
			t.Errorf("%q: %v, %v, %v", text, was, now, err)
		}
	}
}
