package work

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"os"
	"testing"

	"uchi/internal/core/mapping"
	"uchi/internal/core/value"
	"uchi/internal/core/verdict"
	"uchi/internal/pgtest"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// earlier fills a database with what an earlier version of the service left in
// it: testdata holds a dump for each number of migrations, made by that version.
func earlier(t *testing.T, migrations int) (url string) {
	t.Helper()
	packed, err := os.ReadFile(fmt.Sprintf("testdata/edition%d.sql.gz", migrations))
	if err != nil {
		t.Fatal(err)
	}
	r, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		t.Fatal(err)
	}
	dump, err := io.ReadAll(r)
	if err != nil {
		t.Fatal(err)
	}
	url = pgtest.Database(t, prepare)
	conn, err := pgx.Connect(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	for _, sql := range []string{`drop schema uchi, staging, w_main cascade`, string(dump)} {
		if _, err := conn.PgConn().Exec(t.Context(), sql).ReadAll(); err != nil {
			t.Fatal(err)
		}
	}
	return url
}

// A database of every earlier version, with records, imports that were loaded
// and one that was checked (or, in the third, work that was going on when the
// service ended), is brought to the present: what was there is there, what was
// begun is free, and the next import works.
func TestUpgradeFromEveryVersion(t *testing.T) {
	for migrations := 1; migrations <= 6; migrations++ {
		t.Run(fmt.Sprint(migrations), func(t *testing.T) {
			t.Parallel()
			b := startOn(t, earlier(t, migrations))
			all, err := b.store.Imports(b.Context(), "main", store.ImportFilter{Limit: 10})
			b.ok(err)
			for _, i := range all { // nothing is busy
				i = b.wait(i.ID)
				if i.Trouble.V != nil {
					t.Errorf("import %d: %+v", i.ID, i.Trouble.V)
				}
			}
			if migrations == 3 {
				b.load(b.check(b.again(all[len(all)-1])))
				b.want(b.record("account", "ACC-2").Values["name"], "Gull Marina")
				return
			}
			b.want(len(all), 3)
			b.want(b.record("contact", "CON-1").Values["family_name"], "Berg")
			b.want(b.record("contact", "CON-2").Links["account"].Title, "Gull Marina")
			loaded, err := b.store.Import(b.Context(), "main", 2)
			b.ok(err)
			b.want(loaded.Outcomes.V, map[verdict.Outcome]int64{"created": 2, "held": 1})
			b.want(b.rows(loaded), "[2 created (created 1) 3 created (created 2) 4 held (held)]")
			ready, err := b.store.Import(b.Context(), "main", 3)
			b.ok(err)
			done := b.load(b.check(ready))
			b.want(done.Outcomes.V, map[verdict.Outcome]int64{"created": 1, "updated": 1})
			b.agree(done)
			b.want(b.record("contact", "CON-1").Values["family_name"], "Berg-Hav")
			h, err := b.store.History(b.Context(), "main", b.record("contact", "CON-1").Type, "CON-1")
			b.ok(err)
			b.want(len(h), 2)
			again := b.change(b.upload("contact", "Ref,Family name,Account\nK-2,Li,A-1\nK-9,Moe,A-2\n"),
				func(r *mapping.Routine) { r.May = mapping.CreateOrUpdate })
			b.want(b.load(b.check(again)).Outcomes.V, map[verdict.Outcome]int64{"created": 1, "updated": 1})
			people, err := b.store.People(b.Context())
			b.ok(err)
			b.want(len(people), 1)
		})
	}
}

// Records of a database that was filled when fewer legal forms were known are found by the names that are
// compared now.
func TestUpgradeBringsNamesUpToDate(t *testing.T) {
	url := earlier(t, 6)
	conn, err := pgx.Connect(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	then := map[string]string{"Vaněk s.r.o.": "vanek sro", "Vaněk, spol. s r.o.": "vanek spol s ro", "Junk KGaA": "junk kgaa",
		"Yılmaz Ltd. Şti.": "yilmaz ltd sti", "Costa Unipessoal Lda.": "costa unipessoal", "ТОВ «Маяк»": "тов маяк",
		"Бодуров ЕООД": "бодуров еоод", "Ky Marina": "ky marina", "Laine Ky": "laine ky", "Tmi": "tmi",
		"Gull Marina Ltd": "gull marina",
		"Sprlingen":       "sprlingen", "Bodur GmbH & Co. KGaA": "bodur gmbh and co kgaa"}
	id := 100
	for name, key := range then {
		id++
		if _, err := conn.Exec(t.Context(), `insert into w_main.r_account (id, created_by, changed_by, f_name, n_name, t_key)
			values ($1, 1, 1, $2, $3, $3)`, id, name, key); err != nil {
			t.Fatal(err)
		}
	}
	startOn(t, url)
	rows, err := conn.Query(t.Context(), `select f_name, n_name, t_key from w_main.r_account where id > 100`)
	if err != nil {
		t.Fatal(err)
	}
	found, err := pgx.CollectRows(rows, pgx.RowToStructByPos[struct{ Name, Key, Title string }])
	if err != nil || len(found) != len(then) {
		t.Fatal(len(found), err)
	}
	for _, r := range found {
		if want := value.NameKey(r.Name); r.Key != want || r.Title != want {
			t.Errorf("%s has the normal form %q and the title %q, want %q", r.Name, r.Key, r.Title, want)
		}
	}
}

// What was staged before is brought to the present: anchors that did not say how many rows come before, and what is compared
// of rows without its number.
func TestUpgradeOfStaging(t *testing.T) {
	t.Parallel()
	conn, err := pgx.Connect(t.Context(), pgtest.Database(t, prepare))
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
	do := func(sql string) {
		if _, err := conn.PgConn().Exec(t.Context(), sql).ReadAll(); err != nil {
			t.Fatal(err)
		}
	}
	do(`create table staging.i9_r9_anchors (word text, n bigint, row_no bigint, primary key (word, n));
		insert into staging.i9_r9_anchors select 'create', n, 2 + 1000 * n from generate_series(0, 2000) n;
		create table staging.i9_r9_d1_keys (row_no bigint, values text[], terms integer[], blocks integer[]);
		create table staging.i9_r10_d1_keys (row_no bigint, values text[], terms integer[], blocks integer[], said bigint)`)
	for _, name := range []string{"00039_anchors", "00041_said"} {
		migration, err := os.ReadFile("../store/migrations/" + name + ".sql")
		if err != nil {
			t.Fatal(err)
		}
		do(string(migration))
	}
	var right, all int
	if err := conn.QueryRow(t.Context(), `select count(*) filter (where n = row_no - 2), count(*) from staging.i9_r9_anchors`).
		Scan(&right, &all); err != nil || right != 2001 || all != 2001 {
		t.Errorf("%d of %d anchors are right, %v", right, all, err)
	}
	do(`insert into staging.i9_r9_d1_keys select * from staging.i9_r10_d1_keys`)
	do(`select said from staging.i9_r9_d1_keys`)
}
