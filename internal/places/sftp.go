package places

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"path"
	"strconv"
	"strings"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/feed"

	"github.com/pkg/sftp"
	"golang.org/x/crypto/ssh"
)

// HostKeyOf gives the fingerprint of the key by which an SFTP host was known at an open
// place; blank for other places.
func HostKeyOf(p Place) string {
	if s, ok := p.(*sftpPlace); ok {
		return s.key
	}
	return ""
}

type sftpPlace struct {
	conn   *ssh.Client
	files  *sftp.Client
	folder string
	key    string
}

// openSFTP opens a folder on a host. A host that is not known yet is believed, and its
// key kept by the caller; one that shows another key than the one that is known is
// refused.
func openSFTP(ctx context.Context, p feed.Place, o Options) (Place, error) {
	at := fault.Place{Path: "place"}
	address := net.JoinHostPort(p.Host, strconv.Itoa(p.Port))
	auth, err := sshAuth(o.Secret)
	if err != nil {
		return nil, err
	}
	s := &sftpPlace{folder: p.Folder}
	changed := ""
	config := &ssh.ClientConfig{
		User: p.User, Auth: auth, Timeout: 20 * time.Second,
		HostKeyCallback: func(_ string, _ net.Addr, key ssh.PublicKey) error {
			s.key = ssh.FingerprintSHA256(key)
			if o.HostKey != "" && s.key != o.HostKey {
				changed = s.key
				return errors.New("another key")
			}
			return nil
		},
	}
	dialer := dialer(o)
	raw, err := dialer.DialContext(ctx, "tcp", address)
	if err != nil {
		return nil, unreachable(err, address)
	}
	quiet := &idle{Conn: raw, most: o.Silence}
	stop := context.AfterFunc(ctx, func() { raw.Close() }) //nolint:errcheck // whoever reads it is told
	conn, channels, requests, err := ssh.NewClientConn(quiet, address, config)
	if !stop() && err == nil {
		err = context.Cause(ctx)
	}
	if err != nil {
		raw.Close() //nolint:errcheck // given up
		switch {
		case changed != "":
			return nil, fault.New(fault.Denied, "host_key_changed", "the host shows another key than before: "+
				changed).At(at).With(o.HostKey).
				Mended("Ask who runs the host whether its key was changed. If so, let the new one be known: uchi feeds trust.")
		case strings.Contains(err.Error(), "unable to authenticate"):
			return nil, fault.New(fault.Denied, "sign_in_refused", "the host does not let the user in").At(at).With(p.User).
				Mended("Give the password or the private key again.")
		}
		return nil, unreachable(err, address)
	}
	s.conn = ssh.NewClient(conn, channels, requests)
	if s.files, err = sftp.NewClient(s.conn); err != nil {
		s.conn.Close() //nolint:errcheck // given up
		return nil, fault.New(fault.Conflict, "no_sftp", "the host offers no files: "+err.Error()).At(at).With(address)
	}
	return s, nil
}

func sshAuth(secret string) ([]ssh.AuthMethod, error) {
	if !strings.Contains(secret, "PRIVATE KEY-----") {
		answer := func(_, _ string, questions []string, _ []bool) ([]string, error) {
			answers := make([]string, len(questions))
			for n := range answers {
				answers[n] = secret
			}
			return answers, nil
		}
		return []ssh.AuthMethod{ssh.Password(secret), ssh.KeyboardInteractive(answer)}, nil
	}
	key, err := ssh.ParsePrivateKey([]byte(secret))
	if err != nil {
		return nil, fault.New(fault.Invalid, "bad_key", "the private key cannot be read").
			Mended("Give it in PEM or the OpenSSH form, without a passphrase.")
	}
	return []ssh.AuthMethod{ssh.PublicKeys(key)}, nil
}

func (s *sftpPlace) at(name string) string { return path.Join(s.folder, name) }

func (s *sftpPlace) List(ctx context.Context) ([]File, error) {
	folder := s.folder
	if folder == "" {
		folder = "."
	}
	infos, err := s.files.ReadDirContext(ctx, folder)
	if err != nil {
		return nil, fault.New(fault.NotFound, "folder_refused", "the folder on the host cannot be read: "+
			err.Error()).At(fault.Place{Path: "place.folder"}).With(folder)
	}
	var list []File
	for _, i := range infos {
		if i.Mode().IsRegular() {
			list = append(list, File{Name: i.Name(), Bytes: i.Size(), Modified: i.ModTime()})
		}
	}
	return list, nil
}

func (s *sftpPlace) Open(_ context.Context, name string) (io.ReadCloser, error) {
	f, err := s.files.Open(s.at(name))
	if err != nil {
		return nil, gone(name, err)
	}
	return f, nil
}

func (s *sftpPlace) Move(_ context.Context, name, folder string) error {
	if err := s.files.MkdirAll(s.at(folder)); err != nil {
		return fmt.Errorf("make the folder %s: %w", folder, err)
	}
	target, err := freeName(name, folder, func(p string) bool {
		_, err := s.files.Lstat(s.at(p))
		return err == nil
	})
	if err != nil {
		return err
	}
	if err := s.files.Rename(s.at(name), s.at(target)); err != nil {
		return fmt.Errorf("move %s: %w", name, err)
	}
	return nil
}

func (s *sftpPlace) Close() error { return errors.Join(s.files.Close(), s.conn.Close()) }

// idle ends a connection on which the other side says nothing for too long.
type idle struct {
	net.Conn
	most time.Duration
}

func (c *idle) Read(p []byte) (int, error) {
	if err := c.SetReadDeadline(time.Now().Add(c.most)); err != nil {
		return 0, err
	}
	return c.Conn.Read(p)
}

func (c *idle) Write(p []byte) (int, error) {
	if err := c.SetWriteDeadline(time.Now().Add(c.most)); err != nil {
		return 0, err
	}
	return c.Conn.Write(p)
}

func unreachable(err error, address string) error {
	if f, ok := fault.From(err); ok {
		return f
	}
	return fault.New(fault.Busy, "place_unreachable", "the place does not answer: "+
		err.Error()).With(address).Mended("It is tried again the next time.")
}
