//go:build !linux

package wire

import (
	"net"
	"net/netip"
)

// keepsErrors is whether the system can keep errors for a socket that is not raw.
const keepsErrors = false

func keepErrors(net.PacketConn, bool) {}

func listenQueue(net.PacketConn, bool, func(answer), func([]byte, netip.Addr)) {}
