package wire

import (
	"context"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// This machine answers itself, in both families, to pings and to traces of either kind.
func TestThisMachineAnswersItself(t *testing.T) {
	if !MayEcho() {
		t.Skip("passed over: the system lets this user send no pings")
	}
	targets := []netip.Addr{netip.MustParseAddr("127.0.0.1"), netip.IPv6Loopback(), netip.MustParseAddr("127.0.0.2")}
	told := 0
	echoes, err := PingLive(context.Background(), targets, PoliteEcho, func(done int) { told++ })
	require.NoError(t, err)
	for i, e := range echoes {
		assert.True(t, e.Replied, targets[i])
		assert.Equal(t, targets[i], e.Target)
		assert.Positive(t, e.Trip)
	}
	assert.Positive(t, told)
	for _, udp := range []bool{false, true} {
		o := PoliteTrace
		o.UDP = udp
		done := 0
		traced, err := TraceLive(context.Background(), targets, o, func(n, _ int) { done = max(done, n) })
		require.NoError(t, err)
		for _, x := range traced {
			assert.True(t, x.Reached, "%s, by UDP %v", x.Target, udp)
			require.Len(t, x.Hops, 1)
			require.Len(t, x.Hops[0].Answers, 1)
			assert.Equal(t, x.Target, x.Hops[0].Answers[0].From)
		}
		assert.Equal(t, len(targets), done)
	}
}

// What is stopped comes back with what there is so far, at once.
func TestLiveWorkIsStopped(t *testing.T) {
	if !MayEcho() {
		t.Skip("passed over: the system lets this user send no pings")
	}
	ctx, stop := context.WithCancel(context.Background())
	stop()
	start := time.Now()
	echoes, err := PingLive(ctx, []netip.Addr{netip.MustParseAddr("127.0.0.1"), netip.MustParseAddr("127.0.0.2")}, PoliteEcho, nil)
	require.NoError(t, err)
	assert.Len(t, echoes, 2)
	traced, err := TraceLive(ctx, []netip.Addr{netip.MustParseAddr("127.0.0.1")}, PoliteTrace, func(int, int) {})
	require.NoError(t, err)
	assert.Empty(t, traced, "no target is taken once it is stopped")
	assert.Less(t, time.Since(start), 500*time.Millisecond)

	// One at a time, stopped while the first is under way: the second is not begun.
	ctx, stop = context.WithCancel(context.Background())
	defer stop()
	o := PoliteTrace
	o.Together = 1
	traced, err = TraceLive(ctx, []netip.Addr{netip.MustParseAddr("127.0.0.1"), netip.MustParseAddr("127.0.0.2"),
		netip.MustParseAddr("127.0.0.3")}, o, func(int, int) { stop() })
	require.NoError(t, err)
	require.Len(t, traced, 1)
	assert.Equal(t, netip.MustParseAddr("127.0.0.1"), traced[0].Target)
}

// This machine tells of its own loopback, whatever else it has.
func TestThisMachineTellsOfItself(t *testing.T) {
	r, err := ReadHere("me")
	if err != nil {
		t.Skip("passed over:", err)
	}
	require.Len(t, r.Devices, 1)
	d := r.Devices[0]
	assert.Equal(t, "me", d.Name)
	names := map[string]bool{}
	for _, i := range d.Interfaces {
		names[i.Name] = true
	}
	assert.True(t, names["lo"])
	for _, x := range d.Routes {
		assert.True(t, x.Interface == "" || names[x.Interface], "a route by %s", x.Interface)
	}
	assert.Empty(t, r.Unread)
	_, err = ReadHere("no/name")
	assert.Error(t, err)
}
