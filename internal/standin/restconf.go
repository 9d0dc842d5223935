package standin

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"log"
	"math/big"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"golang.org/x/crypto/ssh"
	"ropeswing/internal/yang"
)

const (
	restconfSpace = "urn:ietf:params:xml:ns:yang:ietf-restconf"
	restconfRoot  = "/restconf"
	yangXML       = "application/yang-data+xml"
)

// web is the RESTCONF side of one device (RFC 8040, RFC 8527), in XML: its datastores can be read, and
// what it is set to can be changed. As there is a startup datastore, what is changed is saved too
// (RFC 8040 §1.4).
type web struct {
	*server
	user, password string
}

// certificate is one of a device's own, and the key in it as a line of known hosts has it.
func certificate(name string) (tls.Certificate, string, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return tls.Certificate{}, "", err
	}
	of := &x509.Certificate{
		SerialNumber: big.NewInt(time.Now().UnixNano()), Subject: pkix.Name{CommonName: name}, DNSNames: []string{name},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().AddDate(1, 0,
			0), KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	signed, err := x509.CreateCertificate(rand.Reader, of, of, &key.PublicKey, key)
	if err != nil {
		return tls.Certificate{}, "", err
	}
	public, err := ssh.NewPublicKey(&key.PublicKey)
	if err != nil {
		return tls.Certificate{}, "", err
	}
	return tls.Certificate{Certificate: [][]byte{signed}, PrivateKey: key}, strings.TrimSpace(string(ssh.MarshalAuthorizedKey(public))), nil
}

// serve answers until the context ends.
func (w *web) serve(ctx context.Context, l net.Listener, c tls.Certificate) {
	s := &http.Server{
		Handler: w, ReadHeaderTimeout: loginFor, ReadTimeout: time.Minute, IdleTimeout: time.Minute, MaxHeaderBytes: 1 << 14,
		TLSConfig: &tls.Config{Certificates: []tls.Certificate{c}, MinVersion: tls.VersionTLS12}, ErrorLog: log.New(io.Discard, "", 0),
		BaseContext: func(net.Listener) context.Context { return ctx },
	}
	stop := context.AfterFunc(ctx, func() { s.Close() })
	defer stop()
	_ = s.ServeTLS(l, "", "")
}

// status is the one of an error (RFC 8040 §7).
var status = map[string]int{
	"in-use": 409, "lock-denied": 409, "data-exists": 409, "data-missing": 409, "access-denied": 401, "invalid-value": 400,
	"malformed-message": 400,
	"missing-element":   400, "unknown-element": 400, "bad-element": 400, "bad-attribute": 400, "operation-not-supported": 405,
	"operation-failed": 412,
}

// ServeHTTP answers one request.
func (w *web) ServeHTTP(out http.ResponseWriter, r *http.Request) {
	out.Header().Set("Cache-Control", "no-cache")
	user, password, _ := r.BasicAuth()
	if w.trouble.refuses() || subtle.ConstantTimeCompare([]byte(user), []byte(w.user))&subtle.ConstantTimeCompare([]byte(password),
		[]byte(w.password)) != 1 {
		out.Header().Set("WWW-Authenticate", `Basic realm="restconf"`)
		w.refuse(out, yang.Refused("access-denied", "", "the user or the password is not the one"))
		return
	}
	w.trouble.wait(r.Context())
	if w.trouble.silent() {
		<-r.Context().Done()
		return
	}
	w.mutex.Lock()
	kind, body, err := w.answer(out.Header(), r)
	w.mutex.Unlock()
	var refusal *yang.Refusal
	var media *mediaError
	switch {
	case errors.As(err, &media):
		w.write(out, media.code, yangXML, yang.Refused("invalid-value", "", "%s", media.message).Web(restconfSpace))
	case errors.As(err, &refusal):
		w.refuse(out, refusal)
	case errors.Is(err, errNotThere):
		w.write(out, http.StatusNotFound, yangXML, yang.Refused("invalid-value", "", "%s", "there is nothing at "+r.URL.Path).Web(restconfSpace))
	case err != nil:
		w.write(out, http.StatusInternalServerError, yangXML, yang.Refused("operation-failed", "", "%s", err.Error()).Web(restconfSpace))
	case body == nil && out.Header().Get("Location") != "": // it was made (RFC 8040 §4.4.1, §4.5)
		out.WriteHeader(http.StatusCreated)
	case body == nil:
		out.WriteHeader(http.StatusNoContent)
	default:
		w.write(out, http.StatusOK, kind, body)
	}
}

func (w *web) refuse(out http.ResponseWriter, e *yang.Refusal) {
	code := status[e.Tag]
	if code == 0 {
		code = http.StatusBadRequest
	}
	w.write(out, code, yangXML, e.Web(restconfSpace))
}

// write puts an answer out, with whatever trouble is made.
func (w *web) write(out http.ResponseWriter, code int, kind string, body []byte) {
	out.Header().Set("Content-Type", kind)
	out.WriteHeader(code)
	if w.trouble.oneIn("cut", 4) {
		_, _ = out.Write(body[:len(body)/2])
		panic(http.ErrAbortHandler)
	}
	if w.trouble == nil || !w.trouble.kinds["pieces"] {
		_, _ = out.Write(body)
		return
	}
	for len(body) > 0 {
		n := min(53, len(body))
		_, _ = out.Write(body[:n])
		_ = http.NewResponseController(out).Flush()
		body = body[n:]
	}
}

// mediaError is the error of a kind of text that is not spoken here, with its status (RFC 8040 §5.2).
type mediaError struct {
	code    int
	message string
}

func (e *mediaError) Error() string { return e.message }

var errNotThere = errors.New("there is nothing")

// answer works out what comes back: nothing where a change was made.
func (w *web) answer(head http.Header, r *http.Request) (kind string, body []byte, err error) {
	reading := r.Method == http.MethodGet || r.Method == http.MethodHead
	if reading && r.URL.Path == "/.well-known/host-meta" {
		return "application/xrd+xml", []byte(`<XRD xmlns="http://docs.oasis-open.org/ns/xri/xrd-1.0"><Link rel="restconf" href="` +
			restconfRoot + `"/></XRD>`), nil
	}
	path, ok := strings.CutPrefix(r.URL.EscapedPath(), restconfRoot)
	if !ok {
		return "", nil, errNotThere
	}
	for name, values := range r.URL.Query() { // what is not known is refused (RFC 8040 §4.8)
		if name != "content" || !reading || len(values) > 1 {
			return "", nil, yang.Refused("invalid-value", "", "only 'content' may be asked for, once and of what is read, and not %q", name)
		}
	}
	if accept := r.Header.Get("Accept"); reading && accept != "" && !strings.Contains(accept, yangXML) && !strings.Contains(accept, "*/*") &&
		!strings.Contains(accept, "application/*") {
		return "", nil, &mediaError{http.StatusNotAcceptable, fmt.Sprintf("only %s is spoken here, not %s", yangXML, accept)}
	}
	if kind, _, _ := strings.Cut(r.Header.Get("Content-Type"), ";"); kind != "" && !reading && r.Method != http.MethodDelete &&
		strings.TrimSpace(kind) != yangXML {
		return "", nil, &mediaError{http.StatusUnsupportedMediaType, fmt.Sprintf("only %s is understood here, not %s", yangXML, kind)}
	}
	var words []string
	for word := range strings.SplitSeq(path, "/") {
		if word != "" {
			words = append(words, word)
		}
	}
	library := "<yang-library-version" + " xmlns=\"" + restconfSpace + "\">" + libraryRevision + "</yang-library-version>"
	switch {
	case len(words) == 0 && reading:
		return yangXML, []byte(`<restconf xmlns="` + restconfSpace + `"><data/><operations/>` + library + "</restconf>"), nil
	case len(words) == 1 && words[0] == "operations" && reading:
		return yangXML, []byte(`<operations xmlns="` + restconfSpace + `"/>`), nil
	case len(words) == 1 && words[0] == "yang-library-version" && reading:
		return yangXML, []byte(library), nil
	case len(words) == 2 && words[0] == "data" && reading && w.itself(words[1]) != nil,
		len(words) == 3 && words[0] == "ds" && words[1] == "ietf-datastores:operational" && reading && w.itself(words[2]) != nil:
		var b bytes.Buffer
		w.itself(words[len(words)-1]).XML(&b, "")
		return yangXML, b.Bytes(), nil
	case len(words) > 0 && words[0] == "data":
		store := "operational"
		switch content := r.URL.Query().Get("content"); {
		case content == "config" || !reading:
			store = "running"
		case content == "nonconfig":
			return "", nil, yang.Refused("operation-not-supported", "", "what is set and what is are told together: content is all or config")
		case content != "" && content != "all":
			return "", nil, yang.Refused("invalid-value", "", "content is all or config, not %q", content)
		}
		return w.resource(head, r, store, words[1:])
	case len(words) > 1 && words[0] == "ds":
		store, ok := strings.CutPrefix(words[1], "ietf-datastores:")
		if !ok || store == "candidate" {
			return "", nil, errNotThere
		}
		return w.resource(head, r, store, words[2:])
	}
	return "", nil, errNotThere
}

// itself is what a device says of itself beside its datastores, by its name; nil where it says nothing by that.
func (w *web) itself(name string) *yang.Node {
	now, before := w.trouble.library()
	return map[string]*yang.Node{"ietf-system:system-state": w.clock(), "ietf-yang-library:yang-library": now,
		"ietf-yang-library:modules-state": before, "ietf-restconf-monitoring:restconf-state": restconfState()}[name]
}

// resource reads or changes one place of a datastore.
func (w *web) resource(head http.Header, r *http.Request, store string, words []string) (kind string, body []byte, err error) {
	data, err := w.store(store)
	if err != nil {
		return "", nil, errNotThere
	}
	running, err := w.store("running")
	if err != nil {
		return "", nil, err
	}
	head.Set("ETag", tag(running))
	steps, err := placesOf(words, r.Method != http.MethodGet && r.Method != http.MethodHead)
	if err != nil {
		return "", nil, err
	}
	switch r.Method {
	case http.MethodOptions:
		head.Set("Allow", "GET, HEAD, OPTIONS, PATCH, PUT, POST, DELETE")
		head.Set("Accept-Patch", yangXML)
		return "", nil, nil
	case http.MethodGet, http.MethodHead:
		var b bytes.Buffer
		if len(steps) == 0 {
			data = &yang.Node{Space: restconfSpace, Name: "data", Children: data.Children}
		}
		for _, s := range steps {
			if data = s.in(data); data == nil {
				return "", nil, errNotThere
			}
		}
		data.XML(&b, "")
		return yangXML, b.Bytes(), nil
	}
	if store != "running" {
		return "", nil, yang.Refused("operation-not-supported", "", "changes go to what runs")
	}
	if match := r.Header.Get("If-Match"); match != "" && match != "*" && match != tag(running) {
		return "", nil, yang.Refused("operation-failed", "", "it was changed meanwhile")
	}
	if _, locked := w.locks["running"]; locked || w.confirm != nil {
		return "", nil, &yang.Refusal{Tag: "in-use", Message: "another has it locked, or a commit waits to be confirmed"}
	}
	change, err := changeOf(r, steps)
	if err != nil {
		return "", nil, err
	}
	next := running.Copy()
	if err := edit(next, change, yang.Data(), "merge", ""); err != nil {
		return "", nil, err
	}
	d, err := w.device(next)
	if err == nil {
		err = w.yard.Set(w.name, d)
	}
	if err != nil {
		return "", nil, invalid(err)
	}
	if changed, err := w.store("running"); err == nil {
		head.Set("ETag", tag(changed))
	}
	if at := r.URL.EscapedPath(); r.Method == http.MethodPost {
		head.Set("Location", at) // what it was made in: an entry's own name hangs on its keys
	} else if r.Method == http.MethodPut && !isThere(running, steps) {
		head.Set("Location", at)
	}
	return "", nil, w.yard.Save(w.name)
}

// isThere reports whether data have something at a place.
func isThere(data *yang.Node, steps []pathStep) bool {
	for _, s := range steps {
		if data = s.in(data); data == nil {
			return false
		}
	}
	return true
}

// tag is one of what is set.
func tag(data *yang.Node) string {
	var b bytes.Buffer
	data.XML(&b, "")
	sum := sha256.Sum256(b.Bytes())
	return `"` + hex.EncodeToString(sum[:12]) + `"`
}

// pathStep is one step of a path to a place in data (RFC 8040 §3.5.3).
type pathStep struct {
	name   string
	module yang.Module
	schema *yang.Schema
	keys   []string
}

// placesOf reads a path: MODULE:NAME, and NAME=KEY,KEY for an entry of a list; with set, to what can be set.
func placesOf(words []string, set bool) ([]pathStep, error) {
	var module yang.Module
	var all []pathStep
	at := yang.Data()
	for _, word := range words {
		name, keys, isEntry := strings.Cut(word, "=")
		if of, rest, ok := strings.Cut(name, ":"); ok {
			if module, name = yang.Named(of), rest; module == "" {
				return nil, errNotThere
			}
		}
		s := at.Module(module, name)
		if module == "" || s == nil || len(s.Keys) == 0 && isEntry || s.Many || set && s.Told {
			return nil, errNotThere
		}
		step := pathStep{name: name, module: module, schema: s}
		if isEntry {
			for k := range strings.SplitSeq(keys, ",") {
				key, err := url.PathUnescape(k)
				if err != nil {
					return nil, yang.Refused("invalid-value", "", "%q is no key", k)
				}
				step.keys = append(step.keys, key)
			}
		}
		if len(step.keys) != len(s.Keys) {
			return nil, yang.Refused("invalid-value", "", "an entry of %s is named by %s", name, strings.Join(s.Keys, ", "))
		}
		all, at = append(all, step), s
	}
	return all, nil
}

// bare is the element of a step, with the keys by which it is known.
func (s *pathStep) bare() *yang.Node {
	e := yang.Box(s.module, s.name)
	for i, k := range s.keys {
		e.Add(yang.Leaf(s.module, s.schema.Keys[i], k))
	}
	return e
}

// in finds a step's element among those of data.
func (s *pathStep) in(data *yang.Node) *yang.Node {
	want := s.bare()
	i := slices.IndexFunc(data.Children, func(c *yang.Node) bool { return s.schema.Same(c, want) })
	if i < 0 {
		return nil
	}
	return data.Children[i]
}

// changeOf is what a request changes, as edit-config would say it.
func changeOf(r *http.Request, steps []pathStep) (*yang.Node, error) {
	top := &yang.Node{}
	at := top
	var last *yang.Node
	for i := range steps {
		last = steps[i].bare()
		at.Add(last)
		if i < len(steps)-1 || r.Method == http.MethodPost {
			at = last
		}
	}
	if r.Method == http.MethodDelete {
		if last == nil {
			return nil, yang.Refused("operation-not-supported", "", "not all of it can be deleted at once")
		}
		last.Mark = "delete"
		return top, nil
	}
	text, err := io.ReadAll(io.LimitReader(r.Body, largest+1))
	if err != nil || len(text) > largest {
		return nil, yang.Refused("malformed-message", "", "what was sent is too long, or broke off")
	}
	body, err := parse(text)
	if err != nil {
		return nil, yang.Refused("malformed-message", "", "what was sent cannot be read: %s", err)
	}
	switch {
	case r.Method == http.MethodPost:
		body.Mark = "create"
		at.Add(body)
	case r.Method != http.MethodPatch && r.Method != http.MethodPut:
		return nil, yang.Refused("operation-not-supported", "", "there is no method %s here", r.Method)
	case last == nil:
		if r.Method == http.MethodPut || body.Name != "data" || body.Space != restconfSpace {
			return nil, yang.Refused("operation-not-supported", "", "all of it is changed by PATCH, with data around it")
		}
		return body, nil
	case body.Name != last.Name || body.Space != last.Space || !steps[len(steps)-1].schema.Same(body, last):
		return nil, yang.Refused("invalid-value", "", "what was sent is not %s, which the path names", steps[len(steps)-1].schema.Called(last))
	default:
		if r.Method == http.MethodPut {
			body.Mark = "replace"
		}
		at.Children[len(at.Children)-1] = body
	}
	return top, nil
}
