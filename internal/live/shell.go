package live

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/crypto/ssh"
	"golang.org/x/crypto/ssh/knownhosts"

	"ropeswing/internal/access"
	"ropeswing/internal/wire"
)

// dial logs in by SSH, once: nobody gets locked out by tries.
func (a *asker) dial(ctx context.Context, name, at string, w *access.Way) (*ssh.Client, error) {
	if a.Logins.isRefused(at, w.User) {
		return nil, &Failure{Reason: Login, Err: fmt.Errorf("it refused %s a moment ago, and is not tried again", w.User)}
	}
	var methods []ssh.AuthMethod
	switch {
	case w.Key != nil:
		text, err := a.Secret(w.Key, "the key of "+w.User)
		if err != nil {
			return nil, &Failure{Reason: NoSecret, Err: err}
		}
		signer, err := ssh.ParsePrivateKey([]byte(text))
		if err != nil {
			return nil, &Failure{Reason: NoSecret, Err: errors.New("the key cannot be read; one with a passphrase belongs into the agent")}
		}
		methods = append(methods, ssh.PublicKeys(signer))
	case w.Password != nil:
		password, err := a.Secret(w.Password, "the password of "+w.User+" on "+name)
		if err != nil {
			return nil, &Failure{Reason: NoSecret, Err: err}
		}
		methods = append(methods, ssh.Password(password))
	case len(a.Agent) > 0:
		methods = append(methods, ssh.PublicKeys(a.Agent...))
	default:
		return nil, &Failure{Reason: NoSecret, Err: errors.New("neither key nor password is said, and no SSH agent has a key")}
	}
	var elsewhere []string
	if a.KnownAs != nil {
		elsewhere = a.KnownAs(name)
	}
	var key *Failure
	config := &ssh.ClientConfig{
		User: w.User, Auth: methods, Timeout: a.Patience,
		HostKeyCallback: func(host string, remote net.Addr, k ssh.PublicKey) error {
			var err error
			key, err = a.knows(host, at, remote, k, elsewhere)
			return err
		},
	}
	for _, where := range append([]string{at}, elsewhere...) {
		if algorithms := keyAlgorithms(a.hosts, where); len(algorithms) > 0 {
			config.HostKeyAlgorithms = algorithms
			break
		}
	}
	conn, err := a.pace.dial(ctx, a.Patience, at)
	if err != nil {
		return nil, err
	}
	context.AfterFunc(ctx, func() { conn.Close() }) // also in the midst of an answer
	timed := &timedConn{Conn: conn, idle: 4 * a.Patience, end: time.Now().Add(4 * a.Patience)}
	conn = timed
	c, channels, requests, err := ssh.NewClientConn(conn, at, config)
	if err != nil {
		conn.Close()
		switch {
		case key != nil:
			return nil, key
		case strings.Contains(err.Error(), "unable to authenticate"):
			a.Logins.refuse(at, w.User)
			return nil, &Failure{Reason: Login, Err: fmt.Errorf("it does not let %s in", w.User)}
		}
		return nil, err
	}
	timed.allow(10*a.Patience, mostSession)
	return ssh.NewClient(c, channels, requests), nil
}

// knows tells whether a host shows the key that is known of it, there or else elsewhere, where it was before; the failure says more
// of one that is new or another.
func (a *asker) knows(host, at string, remote net.Addr, k ssh.PublicKey, elsewhere []string) (*Failure, error) {
	err := a.hosts(host, remote, k)
	var unknown *knownhosts.KeyError
	for _, where := range elsewhere {
		if !errors.As(err, &unknown) || len(unknown.Want) > 0 {
			break
		}
		there, e := netip.ParseAddrPort(where)
		if e != nil {
			continue
		}
		if err = a.hosts(where, net.TCPAddrFromAddrPort(there), k); err == nil && a.Learnt != nil {
			a.Learnt(knownhosts.Line([]string{knownhosts.Normalize(at)}, k))
		}
	}
	switch {
	case !errors.As(err, &unknown):
		return nil, err
	case len(unknown.Want) == 0:
		return &Failure{Reason: NewKey, Key: knownhosts.Line([]string{knownhosts.Normalize(at)}, k),
			Err: fmt.Errorf("its host key %s is not known yet", ssh.FingerprintSHA256(k))}, err
	}
	return &Failure{Reason: OtherKey, Err: fmt.Errorf(
			"its host key %s is another than the one that is known: it may be another device; nothing was sent to it", ssh.FingerprintSHA256(k))},
		err
}

// timedConn ends a conversation that falls silent, and one that takes too long in all.
type timedConn struct {
	net.Conn
	mutex sync.Mutex
	idle  time.Duration // how long nothing may come
	end   time.Time     // of all
}

// allow gives a conversation more time, from now on.
func (c *timedConn) allow(idle, all time.Duration) {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	c.idle, c.end = idle, time.Now().Add(all)
	_ = c.SetDeadline(c.end)
}

// Read implements net.Conn.
func (c *timedConn) Read(b []byte) (int, error) {
	c.mutex.Lock()
	until := time.Now().Add(c.idle)
	if c.end.Before(until) {
		until = c.end
	}
	c.mutex.Unlock()
	_ = c.SetReadDeadline(until)
	return c.Conn.Read(b)
}

// mostSession is how long one device may take to tell all.
const mostSession = 90 * time.Second

// keyAlgorithms are those of the keys that are known of a host: it is to show one of these.
func keyAlgorithms(hosts ssh.HostKeyCallback, at string) []string {
	none, err := ssh.NewPublicKey(dummyKey)
	if err != nil {
		return nil
	}
	var known *knownhosts.KeyError
	var all []string
	if errors.As(hosts(at, &net.TCPAddr{}, none), &known) {
		for _, k := range known.Want {
			if kind := k.Key.Type(); kind == ssh.KeyAlgoRSA {
				all = append(all, ssh.KeyAlgoRSASHA512, ssh.KeyAlgoRSASHA256)
			} else {
				all = append(all, kind)
			}
		}
	}
	return all
}

// mostText is how long the lists of a device may be, in bytes.
const mostText = 24 << 20

// lists has a device print its lists, and reads them by the file of its gear.
func (a *asker) lists(ctx context.Context, name, at string, w *access.Way) (*telling, error) {
	m, err := a.Gear(w.Gear)
	if err != nil {
		return nil, &Failure{Reason: NoSecret, Err: err}
	}
	if len(m.Ask) == 0 {
		return nil, &Failure{Reason: NoSecret, Err: fmt.Errorf("%s does not say which words to send: 'ask'", w.Gear)}
	}
	c, err := a.dial(ctx, name, at, w)
	if err != nil {
		return nil, err
	}
	defer c.Close()
	stop := context.AfterFunc(ctx, func() { c.Close() })
	defer stop()
	var broken error
	texts, long := make([][]byte, len(m.Ask)), 0
	for i, words := range m.Ask {
		out, err := a.printed(c, words, mostText-long)
		if err != nil && m.Else != nil && !errors.Is(err, errBrokeOff) {
			out, err = a.printed(c, m.Else[i], mostText-long)
		}
		if err != nil {
			broken = err
		} else {
			texts[i], long = append([]byte{}, out...), long+len(out)
		}
	}
	if !slices.ContainsFunc(texts, func(t []byte) bool { return t != nil }) {
		return nil, broken
	}
	var r *wire.Reading
	if lists, ok := m.TextReader.(wire.ListReader); ok {
		r, err = lists.ReadLists(texts, name)
	} else {
		came := slices.DeleteFunc(texts, func(t []byte) bool { return t == nil })
		r, err = m.ReadText(append(bytes.Join(came, []byte("\n\n")), "\n\n"...), name)
	}
	if err != nil {
		return nil, errors.Join(&Failure{Reason: NotRead, Err: err}, broken)
	}
	t := &telling{unread: r.Unread}
	for _, d := range r.Devices {
		t.device = d
	}
	return t, broken
}

// errBrokeOff is the error of a conversation that is over.
var errBrokeOff = errors.New("it broke off")

// printed is what a device prints for some words.
func (a *asker) printed(c *ssh.Client, words string, most int) ([]byte, error) {
	s, err := c.NewSession()
	if err != nil {
		return nil, &Failure{Reason: Half, Err: fmt.Errorf("%w before %q: %w", errBrokeOff, words, err)}
	}
	defer s.Close()
	out := &limited{most: most}
	s.Stdout = out
	err = s.Run(words)
	if errors.As(err, new(*ssh.ExitMissingError)) {
		return nil, &Failure{Reason: Half, Err: fmt.Errorf("%w at %q", errBrokeOff, words)}
	}
	if err != nil {
		return nil, &Failure{Reason: NotRead, Err: fmt.Errorf("it does not do %q: %w", words, err)}
	}
	return out.text, nil
}

// limited keeps a text up to a length.
type limited struct {
	text []byte
	most int
}

func (l *limited) Write(b []byte) (int, error) {
	if len(l.text)+len(b) > l.most {
		return 0, errors.New("it prints too much")
	}
	l.text = append(l.text, b...)
	return len(b), nil
}
