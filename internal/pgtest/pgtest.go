// Package pgtest gives tests a real PostgreSQL: one server for the run of a
// package, and for each test a database of its own, copied from a template.
package pgtest

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"uchi/internal/pg"

	"github.com/jackc/pgx/v5"
)

var (
	once   sync.Once
	server *pg.Server
	dir    string
	failed error
	number atomic.Int64
)

// start runs the server in memory where that is possible.
func start(prepare func(url string) error) {
	base := os.TempDir()
	if st, err := os.Stat("/dev/shm"); err == nil && st.IsDir() {
		base = "/dev/shm"
	}
	if dir, failed = os.MkdirTemp(base, "uchi-test"); failed != nil {
		return
	}
	if failed = os.Chmod(dir, 0o711); failed != nil {
		return
	}
	if server, failed = pg.Start(context.Background(), pg.Options{Dir: dir, Throwaway: true}); failed != nil {
		return
	}
	failed = exec("create database template_uchi")
	if failed == nil && prepare != nil {
		failed = prepare(with("template_uchi"))
	}
}

func with(database string) string {
	u, err := url.Parse(server.URL)
	if err != nil {
		panic(err) // it was made by us
	}
	u.Path = database
	return u.String()
}

func exec(statement string) error {
	conn, err := pgx.Connect(context.Background(), with("postgres"))
	if err != nil {
		return err
	}
	defer conn.Close(context.Background())
	_, err = conn.Exec(context.Background(), statement)
	return err
}

// Database gives the URL of a fresh database. The first call in a package
// starts the server and has the template prepared.
func Database(t testing.TB, prepare func(url string) error) string {
	t.Helper()
	once.Do(func() { start(prepare) })
	if failed != nil {
		t.Fatalf("no database for the tests: %v", failed)
	}
	name := fmt.Sprintf("t%d", number.Add(1))
	if err := exec("create database " + name + " template template_uchi strategy file_copy"); err != nil {
		t.Fatalf("make database: %v", err)
	}
	t.Cleanup(func() {
		if err := exec("drop database " + name + " with (force)"); err != nil {
			t.Logf("drop database: %v", err)
		}
	})
	return with(name)
}

// Run runs the tests of a package, stops the server and gives the exit code;
// call it in TestMain.
func Run(m *testing.M) int {
	code := m.Run()
	if server != nil {
		server.Stop()
	}
	if strings.Contains(dir, "uchi-test") {
		os.RemoveAll(dir)
	}
	return code
}
