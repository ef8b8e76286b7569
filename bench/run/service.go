package main

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"time"

	"uchi/internal/pg"
)

const password = "bench only password"

const listen = "127.0.0.1:8855"

// service is a service process that is measured, and its command line.
type service struct {
	bin, home string
	cmd       *exec.Cmd
}

// afresh starts a service on an empty database in dir.
func afresh(ctx context.Context, bin, dir string) (*pg.Server, *service, error) {
	if err := os.RemoveAll(dir); err != nil {
		return nil, nil, err
	}
	server, err := pg.Start(ctx, pg.Options{Dir: dir})
	if err != nil {
		return nil, nil, err
	}
	s, err := serve(ctx, server.URL, bin)
	if err != nil {
		server.Stop()
	}
	return server, s, err
}

// serve starts the service on a database and signs in.
func serve(ctx context.Context, database, bin string) (*service, error) {
	var log bytes.Buffer
	s := &service{bin: bin, cmd: exec.CommandContext(ctx, bin, "serve", "--database", database, "--listen", listen,
		"--admin", "bench@lanternquay.example")}
	s.cmd.Env = append(os.Environ(), "UCHI_ADMIN_PASSWORD="+password)
	s.cmd.Stderr = &log
	if err := s.cmd.Start(); err != nil {
		return nil, err
	}
	var err error
	if s.home, err = os.MkdirTemp("", "uchi-bench"); err != nil {
		s.stop()
		return nil, err
	}
	for range 100 {
		if _, err = s.uchi(ctx, password, "login", "bench@lanternquay.example"); err == nil {
			return s, nil
		}
		time.Sleep(100 * time.Millisecond)
	}
	s.stop()
	return nil, fmt.Errorf("%w\n%s", err, log.String())
}

func (s *service) stop() {
	s.cmd.Process.Signal(os.Interrupt) //nolint:errcheck // it may have ended
	s.cmd.Wait()                       //nolint:errcheck // ended by us
	os.RemoveAll(s.home)
}

// heldCode is the exit code of a command that leaves rows held or asked about.
const heldCode = 3

// uchi runs the command line and gives what it prints.
func (s *service) uchi(ctx context.Context, stdin string, args ...string) ([]byte, error) {
	c := exec.CommandContext(ctx, s.bin, append(args, "--server", "http://"+listen)...)
	c.Env = append(os.Environ(), "XDG_CONFIG_HOME="+s.home)
	c.Stdin = strings.NewReader(stdin)
	var errs bytes.Buffer
	c.Stderr = &errs
	out, err := c.Output()
	if err != nil && c.ProcessState.ExitCode() != heldCode {
		return out, fmt.Errorf("uchi %v: %w\n%s%s", args, err, out, errs.String())
	}
	return out, nil
}
