package frames_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/frames"
	"ropeswing/core/model"
)

// The first echo waits for each neighbour on the path in turn, there and back, and only once for who learnt
// of the asker by being asked; nobody is asked for an address of one's own, and who does not answer is
// asked for three times.
func TestNeighboursTheFirstEchoWaitsFor(t *testing.T) {
	net := tablesOf(t, "")
	for _, x := range []struct{ from, to, want string }{
		{"pc", "10.1.0.11", "pc:port 10.1.0.11"},
		{"pc", "10.1.0.1", "pc:port 10.1.0.1"},
		{"pc", "10.2.0.9", "pc:port 10.1.0.1, r:f 10.2.0.9"},
		{"s", "10.1.0.10", "s:p 10.2.0.1, r:l.10 10.1.0.10"},
		{"pc", "2001:db8:2::9", "pc:port 2001:db8:1::1, r:f 2001:db8:2::9"},
		{"pc", "10.1.0.99", strings.Repeat("pc:port 10.1.0.99 silent, ", 2) + "pc:port 10.1.0.99 silent"},
		{"pc", "10.2.0.99", "pc:port 10.1.0.1, " + strings.Repeat("r:f 10.2.0.99 silent, ", 2) + "r:f 10.2.0.99 silent"},
		{"pc", "10.1.0.10", ""},
	} {
		e := forward.PingBy(net, coretest.Device(t, net.Spec, x.from), netip.Addr{}, netip.MustParseAddr(x.to), model.None, forward.Probe{})
		var got []string
		for _, r := range frames.Resolutions(net, e) {
			line := net.Spec.Label(r.Out) + " " + r.Address.String()
			if !r.Answered {
				line += " silent"
			}
			got = append(got, line)
		}
		assert.Equal(t, x.want, strings.Join(got, ", "), "%s to %s", x.from, x.to)
	}
}
