package standin

import (
	"context"
	"crypto"
	"crypto/rand"
	"errors"
	"io"
	"log"
	"math"
	"net"
	"sort"
	"sync"
	"time"

	"github.com/gosnmp/gosnmp"
	"golang.org/x/net/ipv6"

	"ropeswing/internal/mib"
)

// Community is the word by which SNMP version 2c lets somebody read.
type SNMPUser struct {
	Community string // of version 2c; "" lets nobody
	User      string // of version 3, with authentication by SHA-256 and AES
	Auth      string // passphrases
	Privacy   string
}

// mostRepetitions is how many rows one GETBULK is answered with at most, and mostBytes how
// long a message is.
const (
	mostRepetitions = 200
	mostBytes       = 1400
)

// agent answers SNMP for one device.
type agent struct {
	user    SNMPUser
	engine  string
	boots   func() uint32
	started func() time.Time
	rows    func() ([]mib.Row, error) // of now
	trouble *trouble
	codec   *gosnmp.GoSNMP

	mutex sync.Mutex
	made  time.Time
	held  []mib.Row
	usm   *gosnmp.UsmSecurityParameters
}

var quiet = gosnmp.NewLogger(log.New(io.Discard, "", 0))

func newAgent(user SNMPUser, name string) *agent {
	id := make([]byte, 5)
	_, _ = rand.Read(id)
	// RFC 3411 §5: the enterprise that stands for documentation, and bytes of its own.
	engine := "\x80\x00\x7e\xd9\x05" + string(id) + name
	if len(engine) > 32 {
		engine = engine[:32]
	}
	a := &agent{user: user, engine: engine}
	a.usm = &gosnmp.UsmSecurityParameters{
		UserName: user.User, AuthoritativeEngineID: engine, AuthenticationProtocol: gosnmp.SHA256, AuthenticationPassphrase: user.Auth,
		PrivacyProtocol: gosnmp.AES, PrivacyPassphrase: user.Privacy, Logger: quiet,
	}
	a.usm.SecretKey, a.usm.PrivacyKey = mib.LocalKey(crypto.SHA256, user.Auth, engine),
		mib.LocalKey(crypto.SHA256, user.Privacy, engine)[:aesKey]
	a.codec = &gosnmp.GoSNMP{Version: gosnmp.Version3, SecurityModel: gosnmp.UserSecurityModel, MsgFlags: gosnmp.AuthPriv,
		SecurityParameters: a.usm, Logger: quiet}
	return a
}

// aesKey is how many bytes a key of AES has (RFC 3826 §1.2).
const aesKey = 16

// serve answers on a socket until the context ends, from the address that was asked.
func (a *agent) serve(ctx context.Context, conn net.PacketConn) {
	stop := context.AfterFunc(ctx, func() { conn.Close() })
	defer stop()
	read, write := plain(conn)
	if at, ok := conn.LocalAddr().(*net.UDPAddr); ok && at.IP.IsUnspecified() {
		read, write = addressed(conn)
	}
	buffer := make([]byte, 1<<16)
	for {
		n, asked, from, err := read(buffer)
		if err != nil {
			if ctx.Err() != nil || errors.Is(err, net.ErrClosed) {
				return
			}
			continue
		}
		answer := a.answer(append([]byte(nil), buffer[:n]...))
		if answer == nil || a.trouble.silent() {
			continue
		}
		a.trouble.wait(ctx)
		write(a.trouble.cut(answer), asked, from)
	}
}

type (
	reading func(b []byte) (n int, asked []byte, from net.Addr, err error)
	writing func(b, asked []byte, to net.Addr)
)

func plain(conn net.PacketConn) (reading, writing) {
	return func(b []byte) (int, []byte, net.Addr, error) {
			n, from, err := conn.ReadFrom(b)
			return n, nil, from, err
		}, func(b, _ []byte, to net.Addr) {
			_, _ = conn.WriteTo(b, to) // who does not hear it asks again
		}
}

// addressed is for a device with several addresses: whoever asks one takes no answer from
// another. What the system says of the address a request was sent to (RFC 3542 §6.1) goes back to
// it with the answer.
func addressed(conn net.PacketConn) (reading, writing) {
	udp, ok := conn.(*net.UDPConn)
	if !ok || ipv6.NewPacketConn(conn).SetControlMessage(ipv6.FlagDst, true) != nil {
		return plain(conn)
	}
	return func(b []byte) (int, []byte, net.Addr, error) {
			control := make([]byte, 128)
			n, c, _, from, err := udp.ReadMsgUDPAddrPort(b, control)
			return n, control[:c], net.UDPAddrFromAddrPort(from), err
		}, func(b, asked []byte, to net.Addr) {
			if n := len(asked); n >= 20 && !to.(*net.UDPAddr).IP.IsLinkLocalUnicast() {
				clear(asked[n-4:]) // by which interface it leaves is the tables' affair
			}
			_, _, _ = udp.WriteMsgUDPAddrPort(b, asked, to.(*net.UDPAddr).AddrPort())
		}
}

// answer is the answer to a message; nil where none is given: to what is no SNMP, and to who may
// not ask (RFC 3584 §5.2, RFC 3414 §3.2).
func (a *agent) answer(message []byte) (answer []byte) {
	defer func() {
		if recover() != nil { // what a library makes of a hostile message ends nobody
			answer = nil
		}
	}()
	version, ok := versionOf(message)
	switch {
	case !ok:
		return nil
	case version == 3:
		return a.answer3(message)
	case version != 1 || a.user.Community == "":
		return nil
	}
	plain := &gosnmp.GoSNMP{Version: gosnmp.Version2c, Logger: quiet}
	p, err := plain.SnmpDecodePacket(message)
	if err != nil || p.Community != a.user.Community {
		return nil
	}
	out := a.respond(p)
	if out == nil {
		return nil
	}
	out.Version, out.Community = gosnmp.Version2c, p.Community
	text, err := out.MarshalMsg()
	if err != nil {
		return nil
	}
	return text
}

// versionOf is the version number of a message: 0 is 1, 1 is 2c, 3 is 3.
func versionOf(m []byte) (int, bool) {
	at := 2
	if len(m) < 6 || m[0] != 0x30 {
		return 0, false
	}
	if m[1] >= 0x80 {
		at = 2 + int(m[1]&0x7f)
	}
	if len(m) < at+3 || m[at] != 2 || m[at+1] != 1 {
		return 0, false
	}
	return int(m[at+2]), true
}

// The reports of RFC 3414 §3.2.
const (
	notInWindow     = ".1.3.6.1.6.3.15.1.1.2.0"
	unknownUser     = ".1.3.6.1.6.3.15.1.1.3.0"
	unknownEngine   = ".1.3.6.1.6.3.15.1.1.4.0"
	wrongDigest     = ".1.3.6.1.6.3.15.1.1.5.0"
	unknownSecurity = ".1.3.6.1.6.3.15.1.1.1.0"
)

func (a *agent) answer3(message []byte) []byte {
	h, ok := headOf(message)
	switch {
	case !ok:
		return nil
	case h.engine != a.engine:
		return a.report(h, unknownEngine, false)
	case h.user != a.user.User || a.user.User == "":
		return a.report(h, unknownUser, false)
	case h.flags&gosnmp.AuthPriv != gosnmp.AuthPriv:
		return a.report(h, unknownSecurity, false)
	}
	p, err := a.codec.UnmarshalTrap(message, true)
	if err != nil || p == nil {
		return a.report(h, wrongDigest, false)
	}
	if boots, now := a.clock(); h.boots != boots || math.Abs(float64(h.time)-float64(now)) > 150 {
		return a.report(h, notInWindow, true)
	}
	out := a.respond(p)
	if out == nil {
		return nil
	}
	out.ContextName = p.ContextName
	return a.sealed(h, out, gosnmp.AuthPriv)
}

func (a *agent) clock() (boots, seconds uint32) {
	return a.boots() + 1, uint32(time.Since(a.started()) / time.Second)
}

// report tells why a message is not answered.
func (a *agent) report(h head, why string, authenticated bool) []byte {
	out := &gosnmp.SnmpPacket{PDUType: gosnmp.Report, Variables: []gosnmp.SnmpPDU{{Name: why, Type: gosnmp.Counter32, Value: uint32(1)}}}
	flags := gosnmp.NoAuthNoPriv
	if authenticated {
		flags = gosnmp.AuthNoPriv
	}
	return a.sealed(h, out, flags)
}

// sealed is an answer of version 3 as it is sent.
func (a *agent) sealed(to head, out *gosnmp.SnmpPacket, flags gosnmp.SnmpV3MsgFlags) []byte {
	boots, now := a.clock()
	if err := a.usm.InitSecurityKeys(); err != nil {
		return nil
	}
	own := a.usm.Copy().(*gosnmp.UsmSecurityParameters)
	own.AuthoritativeEngineBoots, own.AuthoritativeEngineTime = boots, now
	if flags == gosnmp.NoAuthNoPriv {
		own = &gosnmp.UsmSecurityParameters{AuthoritativeEngineID: a.engine, AuthoritativeEngineBoots: boots, AuthoritativeEngineTime: now,
			UserName: to.user, Logger: quiet}
	}
	out.Version, out.MsgFlags, out.SecurityModel, out.SecurityParameters = gosnmp.Version3, flags, gosnmp.UserSecurityModel, own
	out.MsgID, out.MsgMaxSize, out.ContextEngineID, out.Logger = to.id, 65507, a.engine, quiet
	if err := own.InitPacket(out); err != nil {
		return nil
	}
	text, err := out.MarshalMsg()
	if err != nil {
		return nil
	}
	return text
}

// holdsFor is for how long a walk sees the same rows.
const holdsFor = 500 * time.Millisecond

// now is the rows there are.
func (a *agent) now() []mib.Row {
	a.mutex.Lock()
	defer a.mutex.Unlock()
	if a.held == nil || time.Since(a.made) > holdsFor {
		rows, err := a.rows()
		if err != nil {
			return nil
		}
		a.held = rows
	}
	a.made = time.Now()
	return a.held
}

// respond answers what a message asks (RFC 3416 §4.2).
func (a *agent) respond(p *gosnmp.SnmpPacket) *gosnmp.SnmpPacket {
	out := &gosnmp.SnmpPacket{PDUType: gosnmp.GetResponse, RequestID: p.RequestID, Logger: quiet}
	rows := a.now()
	at := func(o mib.OID) int {
		return sort.Search(len(rows), func(i int) bool { return rows[i].OID.Compare(o) >= 0 })
	}
	next := func(o mib.OID) (mib.Row, bool) {
		i := at(append(append(mib.OID{}, o...), 0))
		if i < len(rows) && rows[i].OID.Compare(o) == 0 {
			i++
		}
		if i >= len(rows) {
			return mib.Row{}, false
		}
		return rows[i], true
	}
	switch p.PDUType {
	case gosnmp.GetRequest:
		for _, v := range p.Variables {
			o, err := mib.ParseOID(v.Name)
			if i := at(o); err == nil && i < len(rows) && rows[i].OID.Compare(o) == 0 {
				out.Variables = append(out.Variables, variable(rows[i]))
				continue
			}
			out.Variables = append(out.Variables, gosnmp.SnmpPDU{Name: v.Name, Type: gosnmp.NoSuchObject})
		}
	case gosnmp.GetNextRequest, gosnmp.GetBulkRequest:
		singly, times := len(p.Variables), 0
		if p.PDUType == gosnmp.GetBulkRequest {
			singly, times = min(len(p.Variables), int(p.NonRepeaters)), min(mostRepetitions, int(p.MaxRepetitions))
		}
		step := func(name string) (string, bool) {
			o, err := mib.ParseOID(name)
			if err != nil {
				return name, false
			}
			row, ok := next(o)
			if !ok {
				out.Variables = append(out.Variables, gosnmp.SnmpPDU{Name: name, Type: gosnmp.EndOfMibView})
				return name, false
			}
			out.Variables = append(out.Variables, variable(row))
			return row.OID.String(), true
		}
		for _, v := range p.Variables[:singly] {
			step(v.Name)
		}
		names := []string{}
		for _, v := range p.Variables[singly:] {
			names = append(names, v.Name)
		}
		for size := 0; times > 0 && len(names) > 0; times-- {
			more := false
			for i := range names {
				var ok bool
				names[i], ok = step(names[i])
				more = more || ok
			}
			if size += 60 * len(names); !more || size > mostBytes {
				break
			}
		}
	case gosnmp.SetRequest:
		out.Error, out.ErrorIndex = gosnmp.NotWritable, 1 // it is only read
		for _, v := range p.Variables {
			out.Variables = append(out.Variables, gosnmp.SnmpPDU{Name: v.Name, Type: gosnmp.Null})
		}
	default:
		return nil
	}
	return out
}

// variable is a row in the codec's terms.
func variable(r mib.Row) gosnmp.SnmpPDU {
	v := gosnmp.SnmpPDU{Name: r.OID.String()}
	switch r.Value.Type {
	case mib.Integer:
		v.Type, v.Value = gosnmp.Integer, int(r.Value.Number)
	case mib.Octets:
		v.Type, v.Value = gosnmp.OctetString, r.Value.Bytes
		if r.Value.Bytes == nil {
			v.Value = []byte{}
		}
	case mib.Object:
		v.Type, v.Value = gosnmp.ObjectIdentifier, r.Value.OID.String()
	case mib.IPAddress:
		v.Type, v.Value = gosnmp.IPAddress, r.Value.Bytes
	case mib.Counter:
		v.Type, v.Value = gosnmp.Counter32, uint32(r.Value.Number)
	case mib.Gauge:
		v.Type, v.Value = gosnmp.Gauge32, uint32(r.Value.Number)
	case mib.Ticks:
		v.Type, v.Value = gosnmp.TimeTicks, uint32(r.Value.Number)
	}
	return v
}
