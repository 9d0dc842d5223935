package standin

import (
	"context"
	"net"
	"testing"
	"time"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/require"

	"ropeswing/internal/mib"
)

// Version 3 works with another's client: of the library's, and of Debian's in cmd/ropeswing.
func TestVersion3(t *testing.T) {
	t.Parallel()
	c, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	a := newAgent(SNMPUser{User: "u", Auth: "authauthauth", Privacy: "privprivpriv"}, "x")
	start := time.Now()
	a.boots, a.started = func() uint32 { return 0 }, func() time.Time { return start }
	a.rows = func() ([]mib.Row, error) {
		return []mib.Row{{OID: mib.OID{1, 3, 6, 1}, Value: mib.Value{Type: mib.Octets, Bytes: []byte("hi")}}}, nil
	}
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	go a.serve(ctx, c)
	g := &gosnmp.GoSNMP{Target: "127.0.0.1", Port: uint16(c.LocalAddr().(*net.UDPAddr).Port), Version: gosnmp.Version3, Timeout: time.Second,
		SecurityModel: gosnmp.UserSecurityModel, MsgFlags: gosnmp.AuthPriv,
		SecurityParameters: &gosnmp.UsmSecurityParameters{UserName: "u", AuthenticationProtocol: gosnmp.SHA256,
			AuthenticationPassphrase: "authauthauth", PrivacyProtocol: gosnmp.AES, PrivacyPassphrase: "privprivpriv"}}
	require.NoError(t, g.Connect())
	p, err := g.GetNext([]string{".1.3.6"})
	require.NoError(t, err)
	require.Equal(t, []byte("hi"), p.Variables[0].Value)
}

func rowsOf(testing.TB) []mib.Row {
	return []mib.Row{{OID: mib.OID{1, 3, 6, 1}, Value: mib.Value{Type: mib.Octets, Bytes: []byte("hi")}}}
}
