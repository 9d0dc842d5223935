package frames

import (
	"net/netip"

	"ropeswing/core/forward"
	"ropeswing/core/model"
)

// Resolution is one neighbour that is asked for before a packet can go on (RFC 826, RFC
// 4861).
type Resolution struct {
	Out      model.InterfaceID
	Address  netip.Addr
	Answered bool
}

// Resolutions lists the neighbours that the first echo of an exchange waits for, in order, where
// nobody knows anybody yet. Those that follow wait only for who did not answer.
func Resolutions(net *forward.Network, x *forward.Exchange) []Resolution { return tell(net, x).asked }
