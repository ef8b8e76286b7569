// Package standin holds small stand-ins for systems outside, for the demo and the
// tests: a host that speaks SFTP, and a mail server that shows what was sent.
package standin

import (
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"os"
	"path"
	"strings"

	"github.com/pkg/sftp"
	"golang.org/x/crypto/ssh"
)

// SFTP is a host with one folder and one user.
type SFTP struct {
	Dir            string
	User, Password string
	HostKey        ed25519.PrivateKey // made when it is nil
}

// Serve answers on a listener until the context ends.
func (s SFTP) Serve(ctx context.Context, l net.Listener) error {
	if s.HostKey == nil {
		_, key, err := ed25519.GenerateKey(rand.Reader)
		if err != nil {
			return fmt.Errorf("make a host key: %w", err)
		}
		s.HostKey = key
	}
	signer, err := ssh.NewSignerFromKey(s.HostKey)
	if err != nil {
		return fmt.Errorf("use the host key: %w", err)
	}
	config := &ssh.ServerConfig{PasswordCallback: func(c ssh.ConnMetadata, password []byte) (*ssh.Permissions, error) {
		if c.User() == s.User && string(password) == s.Password {
			return nil, nil //nolint:nilnil // no permissions are kept
		}
		return nil, errors.New("not let in")
	}}
	config.AddHostKey(signer)
	root, err := os.OpenRoot(s.Dir)
	if err != nil {
		return fmt.Errorf("open the folder: %w", err)
	}
	defer root.Close()                           //nolint:errcheck // only served from
	context.AfterFunc(ctx, func() { l.Close() }) //nolint:errcheck // it ends
	for {
		raw, err := l.Accept()
		if err != nil {
			if ctx.Err() != nil {
				return nil //nolint:nilerr // it was told to end
			}
			return fmt.Errorf("accept: %w", err)
		}
		go serveSSH(ctx, raw, config, root)
	}
}

func serveSSH(ctx context.Context, raw net.Conn, config *ssh.ServerConfig, root *os.Root) {
	defer raw.Close()                              //nolint:errcheck // the other side is gone
	context.AfterFunc(ctx, func() { raw.Close() }) //nolint:errcheck // it ends
	_, channels, requests, err := ssh.NewServerConn(raw, config)
	if err != nil {
		return
	}
	go ssh.DiscardRequests(requests)
	for c := range channels {
		if c.ChannelType() != "session" {
			c.Reject(ssh.UnknownChannelType, "only files") //nolint:errcheck // the other side is gone
			continue
		}
		channel, asked, err := c.Accept()
		if err != nil {
			return
		}
		go func() {
			for r := range asked {
				ok := r.Type == "subsystem" && len(r.Payload) > 4 && string(r.Payload[4:]) == "sftp"
				r.Reply(ok, nil) //nolint:errcheck // the other side is gone
			}
		}()
		f := files{root}
		server := sftp.NewRequestServer(channel, sftp.Handlers{FileGet: f, FilePut: f, FileCmd: f, FileList: f})
		go func() {
			server.Serve() //nolint:errcheck // the other side is gone
			server.Close() //nolint:errcheck // the other side is gone
		}()
	}
}

// files are those of one folder, whose root the other side takes for its own.
type files struct{ root *os.Root }

func local(p string) string {
	if p = strings.TrimPrefix(path.Clean("/"+p), "/"); p == "" {
		return "."
	}
	return p
}

// Fileread implements sftp.FileReader.
func (f files) Fileread(r *sftp.Request) (io.ReaderAt, error) { return f.root.Open(local(r.Filepath)) }

// Filewrite implements sftp.FileWriter.
func (f files) Filewrite(r *sftp.Request) (io.WriterAt, error) {
	return f.root.OpenFile(local(r.Filepath), os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
}

// Filecmd implements sftp.FileCmder.
func (f files) Filecmd(r *sftp.Request) error {
	switch r.Method {
	case "Rename", "PosixRename":
		return f.root.Rename(local(r.Filepath), local(r.Target))
	case "Mkdir":
		return f.root.Mkdir(local(r.Filepath), 0o700)
	case "Setstat":
		return nil
	}
	return sftp.ErrSSHFxOpUnsupported
}

// Filelist implements sftp.FileLister.
func (f files) Filelist(r *sftp.Request) (sftp.ListerAt, error) {
	if r.Method == "List" {
		d, err := f.root.Open(local(r.Filepath))
		if err != nil {
			return nil, err
		}
		defer d.Close() //nolint:errcheck // only read from
		list, err := d.Readdir(-1)
		return infos(list), err
	}
	i, err := f.root.Lstat(local(r.Filepath))
	if err != nil {
		return nil, err
	}
	return infos{i}, nil
}

type infos []fs.FileInfo

// ListAt implements sftp.ListerAt.
func (l infos) ListAt(to []fs.FileInfo, at int64) (int, error) {
	if at >= int64(len(l)) {
		return 0, io.EOF
	}
	n := copy(to, l[at:])
	if int(at)+n == len(l) {
		return n, io.EOF
	}
	return n, nil
}
