package places

import (
	"context"
	"fmt"
	"io"
	"mime"
	"net"
	"net/http"
	"net/netip"
	"path"
	"strings"
	"syscall"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/feed"
)

// Dialer connects to hosts outside, and unless that is allowed to none in a private
// network: nobody who sets a feed or a notice up may look around behind the service.
func dialer(o Options) *net.Dialer {
	return &net.Dialer{Timeout: 20 * time.Second, Control: func(_, address string, _ syscall.RawConn) error {
		at, err := netip.ParseAddrPort(address)
		if err != nil || !o.Private && !Public(at.Addr()) {
			return fault.New(fault.Denied, "private_address",
				"the address is in a private network, and may not be reached").With(address).
				Mended("Whoever runs the service allows it with --allow-private.")
		}
		return nil
	}}
}

// shared are the networks beside those that the standard library knows which are not
// the public one (RFC 6890): carriers', documentation, benchmarks, translated addresses.
var shared = func() (list []netip.Prefix) {
	for _, s := range []string{"0.0.0.0/8", "100.64.0.0/10", "192.0.0.0/24", "192.0.2.0/24", "198.18.0.0/15",
		"198.51.100.0/24", "203.0.113.0/24", "240.0.0.0/4", "64:ff9b::/96", "64:ff9b:1::/48", "2001::/23", "2001:db8::/32",
		"2002::/16"} {
		list = append(list, netip.MustParsePrefix(s))
	}
	return list
}()

// Public reports whether an address is of the public network.
func Public(a netip.Addr) bool {
	a = a.Unmap()
	for _, p := range shared {
		if p.Contains(a) {
			return false
		}
	}
	return a.IsValid() && a.IsGlobalUnicast() && !a.IsPrivate() && !a.IsLoopback() && !a.IsLinkLocalUnicast()
}

// Client gives a client for addresses outside, which follows few redirections and
// reaches no private network unless that is allowed.
func Client(o Options) *http.Client {
	d := dialer(o)
	return &http.Client{
		Transport: &http.Transport{
			DialContext: func(ctx context.Context, network, address string) (net.Conn, error) {
				c, err := d.DialContext(ctx, network, address)
				if err != nil {
					return nil, err
				}
				return &idle{Conn: c, most: o.Silence}, nil
			},
			TLSHandshakeTimeout: 20 * time.Second, ResponseHeaderTimeout: time.Minute, DisableKeepAlives: true,
			ForceAttemptHTTP2: true,
		},
		CheckRedirect: func(r *http.Request, via []*http.Request) error {
			if len(via) > 3 {
				return fmt.Errorf("it sends on and on")
			}
			if via[0].URL.Scheme == "https" && r.URL.Scheme != "https" {
				return fmt.Errorf("it sends on to an address without TLS")
			}
			if r.URL.Host != via[0].URL.Host {
				r.Header.Del("Authorization")
			}
			return nil
		},
	}
}

// address is one file at an address; its name is the last part of it.
type address struct {
	url    string
	secret string
	tag    string // of what was taken last
	client *http.Client
	found  *http.Response // whose body is the file
}

func openAddress(p feed.Place, o Options) Place {
	return &address{url: p.URL, secret: o.Secret, tag: o.Tag, client: Client(o)}
}

// List asks for the file on the condition that it has changed since it was last taken
// (RFC 9110, If-None-Match); when it has, it comes with the answer, and Open reads it.
func (a *address) List(ctx context.Context) ([]File, error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, a.url, nil)
	if err != nil {
		return nil, err
	}
	if a.secret != "" && r.URL.Scheme != "https" && !loopback(r.URL.Hostname()) {
		return nil, fault.New(fault.Denied, "secret_in_clear",
			"a password or token is not sent without TLS").At(fault.Place{Path: "place.url"}).With(a.url).
			Mended("Give an address with https, or take the password away.")
	}
	r.Header.Set("User-Agent", "Uchi")
	if user, password, ok := strings.Cut(a.secret, ":"); ok {
		r.SetBasicAuth(user, password)
	} else if a.secret != "" {
		r.Header.Set("Authorization", "Bearer "+a.secret)
	}
	if strings.HasPrefix(a.tag, `"`) || strings.HasPrefix(a.tag, `W/"`) {
		r.Header.Set("If-None-Match", a.tag)
	} else if a.tag != "" {
		r.Header.Set("If-Modified-Since", a.tag)
	}
	if err := a.Close(); err != nil {
		return nil, err
	}
	res, err := a.client.Do(r) //nolint:bodyclose // closed by Close, or whoever reads it
	if err != nil {
		return nil, unreachable(err, a.url)
	}
	if res.StatusCode == http.StatusNotModified {
		res.Body.Close() //nolint:errcheck // only read from
		return nil, nil
	}
	if res.StatusCode != http.StatusOK {
		res.Body.Close() //nolint:errcheck // only read from
		return nil, fault.New(fault.Conflict, "address_refused", "the address answers "+
			res.Status).At(fault.Place{Path: "place.url"}).With(a.url).
			Mended("Look at the address, and at the password.")
	}
	a.found = res
	f := File{Name: nameOf(res), Bytes: res.ContentLength, Tag: res.Header.Get("ETag")}
	if f.Modified, err = http.ParseTime(res.Header.Get("Last-Modified")); err == nil && f.Tag == "" {
		f.Tag = res.Header.Get("Last-Modified")
	}
	return []File{f}, nil
}

// loopback reports whether a host is this machine, of which nobody listens in between.
func loopback(host string) bool {
	a, err := netip.ParseAddr(host)
	return host == "localhost" || err == nil && a.Unmap().IsLoopback()
}

// nameOf is what the answer calls its file, or the last part of its address.
func nameOf(res *http.Response) string {
	if _, params, err := mime.ParseMediaType(res.Header.Get("Content-Disposition")); err == nil &&
		params["filename"] != "" {
		return path.Base(strings.ReplaceAll(params["filename"], `\`, "/"))
	}
	if name := path.Base(res.Request.URL.Path); name != "/" && name != "." {
		return name
	}
	return "file"
}

func (a *address) Open(ctx context.Context, name string) (io.ReadCloser, error) {
	if a.found == nil {
		if _, err := a.List(ctx); err != nil {
			return nil, err
		}
	}
	if a.found == nil {
		return nil, gone(name, fmt.Errorf("it has not changed"))
	}
	body := a.found.Body
	a.found = nil
	return body, nil
}

func (a *address) Move(context.Context, string, string) error {
	return fault.New(fault.Invalid, "cannot_move", "a file at an address cannot be moved")
}

func (a *address) Close() error {
	if a.found != nil {
		a.found.Body.Close() //nolint:errcheck // only read from
		a.found = nil
	}
	return nil
}
