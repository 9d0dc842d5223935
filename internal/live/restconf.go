package live

import (
	"context"
	"crypto/tls"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"

	"golang.org/x/crypto/ssh"

	"ropeswing/core/observed"
	"ropeswing/internal/access"
	"ropeswing/internal/wire"
	"ropeswing/internal/yang"
)

// rest asks one device by RESTCONF (RFC 8040).
type rest struct {
	client         *http.Client
	base           string // https://ADDRESS:PORT
	root           string // that the device says, such as /restconf
	user, password string
}

// The forms in which data may come.
const (
	yangXML  = "application/yang-data+xml"
	yangJSON = "application/yang-data+json"
)

// errNotThere is that a device has no such resource.
var errNotThere = errors.New("it has no such resource")

// restconf asks by RESTCONF: all there is, and what is saved where it tells that (RFC 8527).
func (a *asker) restconf(ctx context.Context, name, at string, w *access.Way) (*telling, error) {
	if a.Logins.isRefused(at, w.User) {
		return nil, &Failure{Reason: Login, Err: fmt.Errorf("it refused %s a moment ago, and is not tried again", w.User)}
	}
	password, err := a.Secret(w.Password, "the password of "+w.User+" on "+name)
	if err != nil {
		return nil, &Failure{Reason: NoSecret, Err: err}
	}
	var key *Failure
	transport := &http.Transport{
		DialContext: func(ctx context.Context, _, at string) (net.Conn,
			error) {
			return a.pace.dial(ctx, a.Patience, at)
		}, TLSHandshakeTimeout: 4 * a.Patience, ResponseHeaderTimeout: 4 * a.Patience, ForceAttemptHTTP2: true,
		TLSClientConfig: &tls.Config{
			MinVersion:         tls.VersionTLS12,
			InsecureSkipVerify: true, // devices sign for themselves: the key is what is known, as with SSH
			VerifyConnection: func(s tls.ConnectionState) error {
				k, err := ssh.NewPublicKey(s.PeerCertificates[0].PublicKey)
				if err != nil {
					return errors.New("the key of its certificate is of no kind that is known here")
				}
				remote, _ := net.ResolveTCPAddr("tcp", at)
				key, err = a.knows(at, at, remote, k, nil)
				return err
			},
		},
	}
	defer transport.CloseIdleConnections()
	ctx, end := context.WithTimeout(ctx, mostSession)
	defer end()
	x := &rest{base: "https://" + at, user: w.User, password: password, client: &http.Client{
		Transport: transport,
		CheckRedirect: func(*http.Request, []*http.Request) error {
			return errors.New("it sends elsewhere, where nobody is asked")
		},
	}}
	t, err := x.ask(ctx, name)
	var failed *Failure
	switch {
	case key != nil:
		return nil, key
	case errors.As(err, &failed) && failed.Reason == Login:
		a.Logins.refuse(at, w.User)
	}
	return t, err
}

func (x *rest) ask(ctx context.Context, name string) (*telling, error) {
	if err := x.discover(ctx); err != nil {
		return nil, err
	}
	t := &telling{}
	device, unread, err := x.store(ctx, name, "/ds/ietf-datastores:operational")
	if errors.Is(err, errNotThere) { // before RFC 8527 all is in one
		device, unread, err = x.store(ctx, name, "/data")
	}
	if errors.Is(err, errNotThere) {
		return nil, &Failure{Reason: NotRead, Err: errors.New("it has neither interfaces (RFC 8343) nor routing (RFC 8349)")}
	}
	if err != nil {
		return nil, err
	}
	t.device, t.unread = device, unread
	if text, _, err := x.get(ctx, x.root+"/data/ietf-system:system-state", yangXML); err == nil { // one that has no such model says so
		if root, err := yang.ParseXML(text); err == nil {
			t.clock, t.boot = readClock(root)
		}
	}
	saved, _, err := x.store(ctx, name, "/ds/ietf-datastores:startup")
	if err != nil && !errors.Is(err, errNotThere) {
		return t, &Failure{Reason: Half, Err: fmt.Errorf("what it saved: %w", err)}
	}
	t.saved = saved
	return t, nil
}

// discover finds the root (RFC 8040 §3.1); where it is not said, it is /restconf.
func (x *rest) discover(ctx context.Context) error {
	x.root = "/restconf"
	text, _, err := x.get(ctx, "/.well-known/host-meta", "application/xrd+xml")
	if errors.Is(err, errNotThere) {
		return nil
	}
	if err != nil {
		return err
	}
	var meta struct {
		Links []struct {
			Rel  string `xml:"rel,attr"`
			Href string `xml:"href,attr"`
		} `xml:"Link"`
	}
	if xml.Unmarshal(text, &meta) != nil {
		return nil
	}
	for _, l := range meta.Links {
		if u, err := url.Parse(strings.TrimSpace(l.Href)); l.Rel == "restconf" && err == nil &&
			u.Path != "" { // the path alone: nobody else is asked
			x.root = "/" + strings.Trim(u.EscapedPath(), "/")
		}
	}
	return nil
}

// store is what a datastore says of interfaces and routing.
func (x *rest) store(ctx context.Context, name, path string) (*observed.Device, []wire.Unread, error) {
	all, kinds := &yang.Node{Name: "data"}, map[bool]bool{}
	for _, model := range []string{"/ietf-interfaces:interfaces", "/ietf-routing:routing"} {
		text, kind, err := x.get(ctx, x.root+path+model, yangXML+", "+yangJSON+";q=0.5")
		if errors.Is(err, errNotThere) {
			continue
		}
		if err != nil {
			return nil, nil, err
		}
		isJSON := strings.HasPrefix(kind, yangJSON) || strings.HasPrefix(kind, "application/json")
		read := yang.ParseXML
		if kinds[isJSON] = true; isJSON {
			read = yang.ParseJSON
		}
		root, err := read(text)
		if err != nil {
			return nil, nil, &Failure{Reason: NotRead, Err: err}
		}
		all.Add(root.Children...)
	}
	switch len(kinds) {
	case 0:
		return nil, nil, errNotThere
	case 2:
		return nil, nil, &Failure{Reason: NotRead, Err: errors.New("it answers now in JSON, now in XML")}
	}
	return readModels(all, name)
}

// get reads one resource.
func (x *rest) get(ctx context.Context, path, accept string) (text []byte, kind string, err error) {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, x.base+path, nil)
	if err != nil {
		return nil, "", err
	}
	r.SetBasicAuth(x.user, x.password)
	r.Header.Set("Accept", accept)
	r.Header.Set("User-Agent", "ropeswing")
	a, err := x.client.Do(r)
	if err != nil {
		var where *url.Error
		if errors.As(err, &where) { // it repeats the whole request
			err = where.Err
		}
		return nil, "", err
	}
	defer a.Body.Close()
	switch a.StatusCode {
	case http.StatusOK:
	case http.StatusUnauthorized, http.StatusForbidden:
		return nil, "", &Failure{Reason: Login, Err: fmt.Errorf("it does not let %s in", x.user)}
	case http.StatusNotFound, http.StatusBadRequest, http.StatusMethodNotAllowed, http.StatusNotImplemented:
		return nil, "", errNotThere
	default:
		return nil, "", &Failure{Reason: NotRead, Err: fmt.Errorf("it answers %d to %s", a.StatusCode, path)}
	}
	if text, err = io.ReadAll(io.LimitReader(a.Body, mostMessage+1)); err != nil {
		return nil, "", &Failure{Reason: Half, Err: errors.New("it broke off")}
	}
	if isTooDeep(text) {
		return nil, "", &Failure{Reason: NotRead, Err: errors.New("its answer is nested too deep")}
	}
	if len(text) > mostMessage {
		return nil, "", &Failure{Reason: NotRead, Err: errors.New("its answer is too long")}
	}
	return text, a.Header.Get("Content-Type"), nil
}
