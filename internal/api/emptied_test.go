package api

import (
	"net/http"
	"strings"
	"testing"
	"time"

	"uchi/internal/core/rights"
)

// crash empties what is staged, as a crash of the database does.
func (f *face) crash() {
	f.Helper()
	var err error
	for range 20 { // tables that no longer hold are still being dropped
		var tables string
		err = f.store.Pool().QueryRow(f.Context(), `select string_agg(c.oid::regclass::text, ', ') from pg_class c
			join pg_namespace n on n.oid = c.relnamespace where n.nspname = 'staging' and c.relpersistence = 'u' and c.relkind = 'r'`).
			Scan(&tables)
		if err == nil {
			_, err = f.store.Pool().Exec(f.Context(), `truncate `+tables)
		}
		if err == nil {
			return
		}
		time.Sleep(20 * time.Millisecond)
	}
	f.Fatal(err)
}

// Nobody is shown an import without rows because a crash has emptied them; one that cannot be read again is there all the same.
func TestLostRowsAreReadAgain(t *testing.T) {
	t.Parallel()
	f := begin(t)
	f.must(rights.Operator, http.MethodPost, "/imports?into=contact&name=people.csv", "Ref,Family name\nK-1,Berg\nK-2,Lie\n")
	f.rested(1)
	f.must(rights.Operator, http.MethodPost, "/imports/1/check", "{}")
	f.rested(1)
	rows := func(status int, says string) {
		t.Helper()
		res, body := f.ask(rights.Viewer, http.MethodGet, mainPath+"/imports/1/rows", "", "")
		if res.StatusCode != status || !strings.Contains(string(body), says) {
			t.Errorf("%d %s, not %d with %s", res.StatusCode, body, status, says)
		}
	}
	rows(http.StatusOK, "Lie")
	f.crash()
	rows(http.StatusConflict, "staging_lost")
	f.rested(1)
	rows(http.StatusOK, "Lie")

	if _, err := f.store.Pool().Exec(t.Context(), `delete from source_chunks`); err != nil {
		t.Fatal(err)
	}
	f.crash()
	rows(http.StatusConflict, "staging_lost")
	f.rested(1)
	rows(http.StatusConflict, "source_unreadable")
	f.must(rights.Viewer, http.MethodGet, "/imports/1", "")
	f.must(rights.Operator, http.MethodDelete, "/imports/1", "")
}
