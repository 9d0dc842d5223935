package wire

import (
	"context"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"
)

// BenchmarkPingLive pings 1,000 addresses of this machine, at the polite rate.
func BenchmarkPingLive(b *testing.B) {
	if !MayEcho() {
		b.Skip("passed over: the system lets this user send no pings")
	}
	var targets []netip.Addr
	for i := range 1000 {
		targets = append(targets, netip.AddrFrom4([4]byte{127, 1, byte(i >> 8), byte(i)}))
	}
	for b.Loop() {
		echoes, err := PingLive(context.Background(), targets, PoliteEcho, nil)
		require.NoError(b, err)
		for _, e := range echoes[1:] { // 127.1.0.0 is an address like any other
			require.True(b, e.Replied, e.Target)
		}
	}
}
