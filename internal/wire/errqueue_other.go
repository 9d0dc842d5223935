//go:build !linux

package wire

import (
	"net"
	"net/netip"

	"ropeswing/core/prefix"
)

// keepsErrors is whether the system can keep errors for a socket that is not raw.
const keepsErrors = false

func keepErrors(net.PacketConn, prefix.Family) {}

func listenQueue(net.PacketConn, prefix.Family, func(answer), func([]byte, netip.Addr)) {}
