// Package standin serves simulated devices by SNMP, NETCONF over SSH, RESTCONF, and SSH with lists.
package standin

import (
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"encoding/pem"
	"errors"
	"fmt"
	"net"
	"strings"
	"sync"
	"time"

	"golang.org/x/crypto/ssh"

	"ropeswing/core/standin"
	"ropeswing/internal/mib"
)

// Options say how stand-ins are served.
type Options struct {
	Lists   Lists
	Speaks  *Speech // the language of its console; nil is none but that of the lists
	Trouble string  // kinds, with commas between
	Seed    uint64
	Listen  func(name, network string) (string, error) // the address to listen at for udp, tcp (SSH) or tls; nil is a free port of loopback
	Inside  func(name string, f func() error) error    // does something where a device is; nil is here
}

// Secrets are made up at the start of a run: who may ask.
type Secrets struct {
	SNMP     SNMPUser
	User     string
	Password string
	Key      []byte // a private key in OpenSSH's form, which may log in
	public   ssh.PublicKey
}

// NewSecrets makes up secrets.
func NewSecrets() (*Secrets, error) {
	public, private, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		return nil, err
	}
	block, err := ssh.MarshalPrivateKey(private, "a stand-in's user")
	if err != nil {
		return nil, err
	}
	may, err := ssh.NewPublicKey(public)
	if err != nil {
		return nil, err
	}
	return &Secrets{
		SNMP: SNMPUser{Community: word(12), User: "stand-in", Auth: word(20), Privacy: word(20)},
		User: "stand-in", Password: word(16), Key: pem.EncodeToMemory(block), public: may,
	}, nil
}

// word is one that nobody can guess.
func word(n int) string {
	const letters = "abcdefghjkmnpqrstuvwxyz23456789"
	b := make([]byte, n)
	_, _ = rand.Read(b)
	for i := range b {
		b[i] = letters[int(b[i])%len(letters)]
	}
	return string(b)
}

// Served is a device that is served.
type Served struct {
	Name    string
	SNMP    string // ADDRESS:PORT, by UDP
	SSH     string // ADDRESS:PORT, by TCP: NETCONF and lists
	HostKey string // as a line of known_hosts has it, without the address
	Web     string // ADDRESS:PORT, by TLS: RESTCONF
	WebKey  string // the key of its certificate, like HostKey
}

// Serve serves the devices named until the context ends; wait returns when all is over.
func Serve(ctx context.Context, y *standin.Yard, names []string, secrets *Secrets, o Options) (all []Served, wait func(), err error) {
	t, err := newTrouble(o.Trouble, o.Seed)
	if err != nil {
		return nil, nil, err
	}
	if o.Lists == nil {
		o.Lists = BuiltIn()
	}
	ctx, end := context.WithCancel(ctx)
	var group sync.WaitGroup
	defer func() {
		if err != nil {
			end()
			group.Wait()
		}
	}()
	for _, name := range names {
		s, err := serveOne(ctx, &group, y, name, secrets, o, t)
		if err != nil {
			return nil, nil, fmt.Errorf("%s: %w", name, err)
		}
		all = append(all, s)
	}
	return all, func() {
		defer end()
		group.Wait()
	}, nil
}

func serveOne(ctx context.Context, group *sync.WaitGroup, y *standin.Yard, name string, secrets *Secrets, o Options, t *trouble) (Served,
	error) {
	inside := o.Inside
	if inside == nil {
		inside = func(_ string, f func() error) error { return f() }
	}
	at := o.Listen
	if at == nil {
		at = func(string, string) (string, error) { return "127.0.0.1:0", nil }
	}
	var packets net.PacketConn
	var listener, secure net.Listener
	err := inside(name, func() error {
		udp, err1 := at(name, "udp")
		tcp, err2 := at(name, "tcp")
		tls, err3 := at(name, "tls")
		if err := errors.Join(err1, err2, err3); err != nil {
			return err
		}
		var err error
		if packets, err = net.ListenPacket("udp", udp); err != nil {
			return err
		}
		if listener, err = net.Listen("tcp", tcp); err != nil {
			packets.Close()
			return err
		}
		if secure, err = net.Listen("tcp", tls); err != nil {
			packets.Close()
			listener.Close()
		}
		return err
	})
	if err != nil {
		return Served{}, err
	}
	_, private, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		return Served{}, err
	}
	signer, err := ssh.NewSignerFromKey(private)
	if err != nil {
		return Served{}, err
	}
	c, webKey, err := certificate(name)
	if err != nil {
		return Served{}, err
	}
	a := newAgent(secrets.SNMP, name)
	started, mutex := time.Now(), sync.Mutex{}
	starts := 0
	a.boots = func() uint32 { return uint32(y.Starts(name)) }
	a.started = func() time.Time {
		mutex.Lock()
		defer mutex.Unlock()
		if n := y.Starts(name); n != starts {
			starts, started = n, time.Now()
		}
		return started
	}
	kind, forwards := y.Kind(name)
	a.rows = func() ([]mib.Row, error) {
		d, err := y.Says(name)
		if err != nil {
			return nil, err
		}
		return mib.Say(d, mib.About{Description: "a stand-in for a " + kind.String(), Forwards: forwards,
			Ticks: uint32(time.Since(a.started()) / (10 * time.Millisecond)), Clock: t.clock()}), nil
	}
	a.trouble = t
	s := newServer(y, name)
	s.trouble, s.started = t, a.started
	d := newDoor(signer, secrets.User, secrets.Password, secrets.public, s, o.Lists, t)
	if o.Speaks != nil {
		d.tongue = &tongue{Speech: o.Speaks, yard: y, name: name}
	}
	group.Go(func() { a.serve(ctx, packets) })
	group.Go(func() { d.serve(ctx, listener) })
	group.Go(func() { (&web{s, secrets.User, secrets.Password}).serve(ctx, secure, c) })
	return Served{
		Name: name, SNMP: packets.LocalAddr().String(), SSH: listener.Addr().String(),
		HostKey: strings.TrimSpace(string(ssh.MarshalAuthorizedKey(signer.PublicKey()))), Web: secure.Addr().String(), WebKey: webKey,
	}, nil
}
