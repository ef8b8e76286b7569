// Package pg runs a private PostgreSQL server on loopback, for a first look
// and for the tests. The server comes from Debian's packages; it refuses to
// run as root and is run as postgres then. It ends with the process that
// started it. For lasting work, point the service at a PostgreSQL of your own.
package pg

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"time"

	"uchi/internal/core/fault"

	"github.com/jackc/pgx/v5"
)

// Options say where and how the server runs.
type Options struct {
	Dir       string // holds the data; made when it is not there
	Port      int    // 0 takes a free one
	Throwaway bool   // for tests: nothing is kept safe against a crash
}

// Server is a running private server.
type Server struct {
	URL    string // of the database uchi
	cancel context.CancelFunc
	done   chan struct{}
}

const (
	binDirs  = "/usr/lib/postgresql/*/bin"
	account  = "postgres"
	database = "uchi"
	loopback = "127.0.0.1"
)

// binaries finds the newest installed server.
func binaries() (string, error) {
	best, bestVersion := "", 0
	dirs, _ := filepath.Glob(binDirs)
	for _, d := range dirs {
		if v, err := strconv.Atoi(filepath.Base(filepath.Dir(d))); err == nil && v > bestVersion {
			if _, err := os.Stat(filepath.Join(d, "postgres")); err == nil {
				best, bestVersion = d, v
			}
		}
	}
	if bestVersion < 15 {
		return "", fault.New(fault.Invalid, "postgresql_missing", "no PostgreSQL server of version 15 or newer is installed").
			Mended("Install Debian's package postgresql, or name a server of your own with --database.")
	}
	return best, nil
}

// credential is the account that the server runs under; nil keeps our own.
func credential() (*syscall.Credential, error) {
	if os.Geteuid() != 0 {
		return nil, nil
	}
	u, err := user.Lookup(account)
	if err != nil {
		return nil, fault.New(fault.Invalid, "postgres_account_missing",
			"the server refuses to run as root and there is no account postgres").
			Mended("Install Debian's package postgresql, which makes the account.")
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}, nil
}

// unfinishedRepair is the code of a server that ended while it repaired its
// data after a crash, and whose next start brings the repair to its end. It
// happens where a transaction made an unlogged table and took it back just
// before the crash: the log makes the table again, and then stumbles over a
// file of it that the next start knows to be a left-over.
const unfinishedRepair = "repair_unfinished"

// Start starts the server, making its data first when there is none.
func Start(ctx context.Context, o Options) (*Server, error) {
	s, err := start(ctx, o)
	if fault.Is(err, unfinishedRepair) {
		return start(ctx, o)
	}
	return s, err
}

func start(ctx context.Context, o Options) (*Server, error) {
	bin, err := binaries()
	if err != nil {
		return nil, err
	}
	cred, err := credential()
	if err != nil {
		return nil, err
	}
	dir, err := filepath.Abs(o.Dir)
	if err != nil {
		return nil, err
	}
	data := filepath.Join(dir, "postgresql")
	if err := ready(dir, data, cred); err != nil {
		return nil, err
	}
	unlock, err := lock(dir)
	if err != nil {
		return nil, err
	}
	password, port, err := settle(ctx, bin, dir, data, cred, o)
	if err != nil {
		unlock()
		return nil, err
	}
	s, err := run(bin, data, port, password, cred, o.Throwaway, unlock)
	if err != nil {
		return nil, err
	}
	if err := s.wait(ctx, data, port, password); err != nil {
		s.Stop()
		return nil, err
	}
	return s, nil
}

// settle sees that there are data, and gives the password and a free port.
func settle(ctx context.Context, bin, dir, data string, cred *syscall.Credential, o Options) (password string,
	port int, err error) {
	if password, err = secret(filepath.Join(dir, "secret")); err != nil {
		return "", 0, err
	}
	if _, err := os.Stat(filepath.Join(data, "PG_VERSION")); err != nil {
		if err := initialise(ctx, bin, data, password, cred, o.Throwaway); err != nil {
			return "", 0, err
		}
	}
	port, err = freePort(o.Port)
	return password, port, err
}

// ready makes the directories and sees that the server's account can reach them.
func ready(dir, data string, cred *syscall.Credential) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return fault.New(fault.Invalid, "directory_refused", "the data directory cannot be made: "+err.Error()).With(dir)
	}
	if err := os.Mkdir(data, 0o700); err != nil && !errors.Is(err, os.ErrExist) {
		return fault.New(fault.Invalid, "directory_refused", "the data directory cannot be made: "+err.Error()).With(data)
	}
	if cred == nil {
		return nil
	}
	for p := dir; p != "/"; p = filepath.Dir(p) {
		if st, err := os.Stat(p); err == nil && st.Mode().Perm()&0o001 == 0 {
			return fault.New(fault.Invalid, "directory_refused", "the account postgres cannot reach the data directory").With(p).
				Mended("Choose a directory under /var/lib or /var/tmp with --data.")
		}
	}
	return os.Chown(data, int(cred.Uid), int(cred.Gid))
}

// lock keeps two processes from running one data directory.
func lock(dir string) (func(), error) {
	f, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("lock data directory: %w", err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return nil, fault.New(fault.Conflict, "directory_in_use", "another process is using the data directory").With(dir).
			Mended("Stop it, or choose another directory with --data.")
	}
	return func() { f.Close() }, nil
}

func secret(path string) (string, error) {
	b, err := os.ReadFile(path)
	if err == nil {
		return strings.TrimSpace(string(b)), nil
	}
	if !errors.Is(err, os.ErrNotExist) {
		return "", fmt.Errorf("read the database's password: %w", err)
	}
	s := rand.Text()
	return s, os.WriteFile(path, []byte(s+"\n"), 0o600)
}

func command(bin, name string, cred *syscall.Credential, args ...string) *exec.Cmd {
	c := exec.Command(filepath.Join(bin, name), args...)
	c.Dir = "/"
	c.Env = []string{"PATH=" + bin + ":/usr/bin:/bin", "LC_ALL=C.UTF-8", "TZ=UTC"}
	c.SysProcAttr = &syscall.SysProcAttr{Credential: cred, Setpgid: true, Pdeathsig: syscall.SIGQUIT}
	return c
}

func initialise(ctx context.Context, bin, data, password string, cred *syscall.Credential, throwaway bool) error {
	args := []string{"-D", data, "-U", account, "--encoding=UTF8", "--locale=C.UTF-8", "--auth=scram-sha-256",
		"--pwfile=/dev/stdin"}
	if throwaway {
		args = append(args, "--no-sync")
	}
	c := command(bin, "initdb", cred, args...)
	r, w, err := os.Pipe() // a file, so that the child can open /dev/stdin
	if err != nil {
		return err
	}
	c.Stdin = r
	if cred != nil {
		if err := r.Chown(int(cred.Uid), int(cred.Gid)); err != nil {
			return err
		}
	}
	if _, err := io.WriteString(w, password+"\n"); err != nil {
		return err
	}
	w.Close()
	out, err := c.CombinedOutput()
	r.Close()
	if err != nil {
		os.RemoveAll(data)
		return explain("the database could not be made", string(out))
	}
	return ctx.Err()
}

// explain finds the usual reasons in what the server printed.
func explain(what, output string) error {
	var told []string // without those who knocked too early
	for line := range strings.Lines(output) {
		if !strings.Contains(line, "the database system is") && !strings.Contains(line, "recovery state") {
			told = append(told, strings.TrimSpace(line))
		}
	}
	f := fault.New(fault.Invalid, "database_failed",
		what+": "+fault.Cut(strings.Join(told[max(0, len(told)-8):], "\n"), 900))
	switch {
	case strings.Contains(output, "No space left"):
		return fault.New(fault.Invalid, "disk_full",
			what+": the disk is full").Mended("Make room, or choose another directory with --data.")
	case strings.Contains(output, "Address already in use"):
		return fault.New(fault.Conflict, "port_taken",
			what+": another program uses its port").Mended("Start again, or choose another port.")
	case strings.Contains(output, "redo done") && strings.Contains(output, "File exists"):
		return fault.New(fault.Conflict, unfinishedRepair,
			what+": it stopped in the repair after a crash").Mended("Start again.")
	case strings.Contains(output, "incompatible with server"):
		return fault.New(fault.Invalid, "wrong_version",
			what+": its data were made by another version of PostgreSQL").Mended("Install that version, or choose another directory with --data.")
	}
	return f
}

func freePort(port int) (int, error) {
	l, err := net.Listen("tcp", net.JoinHostPort(loopback, strconv.Itoa(port)))
	if err != nil {
		return 0, fault.New(fault.Conflict, "port_taken",
			"another program uses the database's port").With(strconv.Itoa(port)).Mended("Choose another, or leave the choice to us.")
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func settings(throwaway bool) []string {
	set := []string{"listen_addresses=" + loopback, "unix_socket_directories=", "max_connections=200", "jit=off",
		"max_wal_size=4GB", "checkpoint_timeout=15min",
		"shared_buffers=512MB", "maintenance_work_mem=256MB", "random_page_cost=1.1", "effective_cache_size=4GB",
		"wal_compression=lz4", "log_min_messages=warning"}
	if throwaway {
		set = append(set, "fsync=off", "synchronous_commit=off", "full_page_writes=off", "shared_buffers=128MB")
	}
	var args []string
	for _, s := range set {
		args = append(args, "-c", s)
	}
	return args
}

// run starts the server; ended is called when it no longer runs.
func run(bin, data string, port int, password string, cred *syscall.Credential, throwaway bool,
	ended func()) (*Server, error) {
	ctx, cancel := context.WithCancel(context.Background())
	s := &Server{cancel: cancel, done: make(chan struct{})}
	u := url.URL{Scheme: "postgres", User: url.UserPassword(account, password),
		Host: net.JoinHostPort(loopback, strconv.Itoa(port)), Path: database}
	s.URL = u.String()
	logFile, err := os.OpenFile(filepath.Join(filepath.Dir(data), "postgresql.log"),
		os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		cancel()
		ended()
		return nil, fmt.Errorf("open the database's log: %w", err)
	}
	started := make(chan error, 1)
	go func() {
		defer close(s.done)
		defer ended()
		defer logFile.Close()
		runtime.LockOSThread() // the signal at the parent's death follows the thread
		c := command(bin, "postgres", cred, append([]string{"-D", data, "-p", strconv.Itoa(port)}, settings(throwaway)...)...)
		c.Stdout, c.Stderr = logFile, logFile
		if err := c.Start(); err != nil {
			started <- err
			return
		}
		started <- nil
		waited := make(chan struct{})
		go func() {
			select {
			case <-ctx.Done():
				c.Process.Signal(syscall.SIGINT) //nolint:errcheck // it may have ended
			case <-waited:
			}
		}()
		c.Wait() //nolint:errcheck // how it ended stands in its log
		close(waited)
	}()
	if err := <-started; err != nil {
		cancel()
		return nil, fmt.Errorf("start the database: %w", err)
	}
	return s, nil
}

// wait tries to connect until the server answers, and makes the database.
func (s *Server) wait(ctx context.Context, data string, port int, password string) error {
	admin := url.URL{Scheme: "postgres", User: url.UserPassword(account, password),
		Host: net.JoinHostPort(loopback, strconv.Itoa(port)), Path: "postgres"}
	deadline := time.Now().Add(60 * time.Second) // after a crash the server repairs its data first
	for {
		select {
		case <-s.done:
			out, _ := os.ReadFile(filepath.Join(filepath.Dir(data), "postgresql.log"))
			return explain("the database ended at once", string(out))
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(20 * time.Millisecond):
		}
		conn, err := pgx.Connect(ctx, admin.String())
		if err != nil {
			if time.Now().After(deadline) {
				return fault.New(fault.Busy, "database_unreachable", "the database does not answer: "+err.Error())
			}
			continue
		}
		defer conn.Close(ctx)
		var n int
		if err := conn.QueryRow(ctx, "select count(*) from pg_database where datname = $1", database).Scan(&n); err != nil {
			return err
		}
		if n == 0 {
			_, err = conn.Exec(ctx, "create database "+database)
		}
		return err
	}
}

// Stop ends the server and waits for it.
func (s *Server) Stop() {
	s.cancel()
	<-s.done
}

// DefaultDir is where a private server keeps its data unless told otherwise.
func DefaultDir() string {
	if os.Geteuid() == 0 {
		return "/var/lib/uchi"
	}
	if d := os.Getenv("XDG_DATA_HOME"); d != "" {
		return filepath.Join(d, "uchi")
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return "uchi-data"
	}
	return filepath.Join(home, ".local", "share", "uchi")
}
