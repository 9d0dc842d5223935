package rehearse

import (
	"encoding/binary"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
)

// sentProbe is the sequence number of a probe as it was sent, without a socket.
func (a *asker) sentProbe(to netip.Addr, ttl int) int {
	seq := a.next & 0xffff
	a.next++
	a.sent[seq] = Probe{to, ttl}
	return seq
}

// inner is the start of a request that an error is about.
func inner(to netip.Addr, id, seq int) []byte {
	b := make([]byte, 28)
	copy(b[16:20], to.AsSlice())
	b[20] = 8
	binary.BigEndian.PutUint16(b[24:], uint16(id))
	binary.BigEndian.PutUint16(b[26:], uint16(seq))
	return b
}

func TestAskersTakeOnlyAnswersOfTheirOwn(t *testing.T) {
	to, router := netip.MustParseAddr("192.0.2.9"), netip.MustParseAddr("192.0.2.1")
	first, second := newAsker(3, []netip.Addr{to}), newAsker(3, []netip.Addr{to})
	assert.Equal(t, first.identifier, second.identifier, "the same device asks twice")
	ping := first.sentProbe(to, 0)
	second.sentProbe(to, 0)
	hop := second.sentProbe(to, 1)

	second.heard(ping, 0, to, "reply")
	assert.Empty(t, second.answers.Replied, "a reply to who asked before")
	second.heard(hop, 0, to, "reply")
	assert.Empty(t, second.answers.Hops, "a reply to a ping is none to a probe of a trace")
	second.heard(hop, 1, router, "reply")
	assert.Empty(t, second.answers.Hops, "a reply of somebody else")
	second.about(inner(router, second.identifier|1, hop), 1, router, "time exceeded")
	assert.Empty(t, second.answers.Hops, "about a packet that was never sent")
	second.about(inner(to, first.identifier|2, hop), 1, router, "time exceeded")
	assert.Empty(t, second.answers.Hops, "about the probe of another hop")
	second.about(inner(to, second.identifier|1, hop)[:24], 1, router, "time exceeded")
	assert.Empty(t, second.answers.Hops, "half a packet")
	second.about(inner(to, second.identifier|1, hop), 1, router, "time exceeded")
	assert.Equal(t, map[Probe]Heard{{to, 1}: {router, "time exceeded"}}, second.answers.Hops)
	first.heard(ping, 0, to, "reply")
	assert.True(t, first.allReplied())
}

func TestNumbersOfAskersAreTheirOwn(t *testing.T) {
	targets := make([]netip.Addr, 5)
	first := newAsker(0, targets)
	second := newAsker(0, targets)
	assert.GreaterOrEqual(t, second.next-first.next, len(targets)*(2+MostTTL), "room for every probe of the first")
}
