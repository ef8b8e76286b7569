package pg

import (
	"net"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"uchi/internal/core/fault"

	"github.com/jackc/pgx/v5"
)

func dir(t *testing.T) string {
	t.Helper()
	base := os.TempDir()
	if _, err := os.Stat("/dev/shm"); err == nil {
		base = "/dev/shm"
	}
	d, err := os.MkdirTemp(base, "uchi-pg")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(d, 0o711); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(d) })
	return d
}

// What was written is there after the server has stopped and started again;
// two servers cannot run one directory; a password is needed.
func TestStartStopStart(t *testing.T) {
	d := dir(t)
	s, err := Start(t.Context(), Options{Dir: d, Throwaway: true})
	if err != nil {
		t.Fatal(err)
	}
	query := func(url, q string) error {
		conn, err := pgx.Connect(t.Context(), url)
		if err != nil {
			return err
		}
		defer conn.Close(t.Context())
		_, err = conn.Exec(t.Context(), q)
		return err
	}
	if err := query(s.URL, "create table kept (n int)"); err != nil {
		t.Fatal(err)
	}
	if _, err := Start(t.Context(), Options{Dir: d, Throwaway: true}); !fault.Is(err, "directory_in_use") {
		t.Errorf("a second server: %v", err)
	}
	if err := query(strings.Replace(s.URL, ":"+secretOf(t, d)+"@", ":wrong@", 1), "select 1"); err == nil {
		t.Error("a wrong password is taken")
	}
	s.Stop()
	if s, err = Start(t.Context(), Options{Dir: d, Throwaway: true}); err != nil {
		t.Fatal(err)
	}
	defer s.Stop()
	if err := query(s.URL, "insert into kept values (1)"); err != nil {
		t.Errorf("after the second start: %v", err)
	}
}

func secretOf(t *testing.T, d string) string {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(d, "secret"))
	if err != nil {
		t.Fatal(err)
	}
	return strings.TrimSpace(string(b))
}

// Each thing that can be in the way is named, with what would mend it.
func TestWhatCanBeInTheWay(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	_, port, _ := net.SplitHostPort(l.Addr().String())
	n, _ := strconv.Atoi(port)
	if _, err := freePort(n); !fault.Is(err, "port_taken") {
		t.Errorf("a port in use: %v", err)
	}
	file := filepath.Join(dir(t), "file")
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Start(t.Context(), Options{Dir: filepath.Join(file, "x")}); !fault.Is(err, "directory_refused") {
		t.Errorf("a file in the way: %v", err)
	}
	if os.Geteuid() == 0 {
		closed := dir(t)
		if err := os.Chmod(closed, 0o700); err != nil {
			t.Fatal(err)
		}
		if _, err := Start(t.Context(), Options{Dir: closed}); !fault.Is(err, "directory_refused") {
			t.Errorf("a directory that the account cannot reach: %v", err)
		}
	}
	for output, code := range map[string]string{"FATAL: could not write: No space left on device": "disk_full",
		"Address already in use": "port_taken", "database files are incompatible with server": "wrong_version",
		"something else": "database_failed"} {
		if err := explain("it failed", output); !fault.Is(err, code) {
			t.Errorf("%q: %v, want %s", output, err, code)
		}
	}
}

// An unlogged table that a transaction made and took back just before a crash
// leaves a file that stops the server's repair once, and only once.
func TestStartAfterACrashInTheMiddleOfATransaction(t *testing.T) {
	d := dir(t)
	s, err := Start(t.Context(), Options{Dir: d})
	if err != nil {
		t.Fatal(err)
	}
	made, err := pgx.Connect(t.Context(), s.URL)
	if err != nil {
		t.Fatal(err)
	}
	other, err := pgx.Connect(t.Context(), s.URL)
	if err != nil {
		t.Fatal(err)
	}
	do := func(c *pgx.Conn, q string) {
		t.Helper()
		if _, err := c.Exec(t.Context(), q); err != nil {
			t.Fatal(err)
		}
	}
	do(made, "begin; create unlogged table passing (n int)")
	do(other, "create table kept (n int)") // writes out what the log has of the other
	do(made, "rollback")
	crash(t, d)
	s.Stop()
	if s, err = Start(t.Context(), Options{Dir: d}); err != nil {
		t.Fatal(err)
	}
	defer s.Stop()
	after, err := pgx.Connect(t.Context(), s.URL)
	if err != nil {
		t.Fatal(err)
	}
	do(after, "insert into kept values (1)")
	after.Close(t.Context())
}

// crash ends the server in the directory as a power cut would.
func crash(t *testing.T, d string) {
	t.Helper()
	b, err := os.ReadFile(filepath.Join(d, "postgresql", "postmaster.pid"))
	if err != nil {
		t.Fatal(err)
	}
	first, _, _ := strings.Cut(string(b), "\n")
	pid, err := strconv.Atoi(first)
	if err != nil {
		t.Fatal(err)
	}
	if err := syscall.Kill(pid, syscall.SIGQUIT); err != nil {
		t.Fatal(err)
	}
}
