package wire

import (
	"errors"
	"net"
	"net/netip"
	"syscall"
	"time"
	"unsafe"

	"golang.org/x/sys/unix"

	"ropeswing/core/forward"
	"ropeswing/core/prefix"
)

// keepsErrors is whether the system can keep errors for a socket that is not raw.
const keepsErrors = true

// keepErrors has the system keep the ICMP errors about what a socket sent, for any
// user to read: the socket's error queue of ip(7) and ipv6(7).
func keepErrors(c net.PacketConn, family prefix.Family) {
	raw, err := c.(syscall.Conn).SyscallConn()
	if err != nil {
		return
	}
	_ = raw.Control(func(fd uintptr) { // without it replies are heard all the same
		if family == prefix.IPv4 {
			_ = unix.SetsockoptInt(int(fd), unix.IPPROTO_IP, unix.IP_RECVERR, 1)
		} else {
			_ = unix.SetsockoptInt(int(fd), unix.IPPROTO_IPV6, unix.IPV6_RECVERR, 1)
		}
	})
}

// listenQueue takes in a socket's errors and datagrams until it is closed. What an
// error is about begins with the ICMP header of an echo request; of a datagram with a
// UDP header that has the destination port only, for the rest of it is not kept.
func listenQueue(c net.PacketConn, family prefix.Family, hear func(answer), got func(b []byte, from netip.Addr)) {
	raw, err := c.(syscall.Conn).SyscallConn()
	if err != nil {
		return
	}
	buffer, control := make([]byte, 1<<16), make([]byte, 512)
	_ = raw.Read(func(fd uintptr) bool {
		for {
			n, used, _, to, err := unix.Recvmsg(int(fd), buffer, control, unix.MSG_ERRQUEUE|unix.MSG_DONTWAIT)
			if err == nil {
				if a, ok := queuedError(control[:used], buffer[:n], to, family); ok {
					hear(a)
				}
				continue
			}
			n, _, _, from, err := unix.Recvmsg(int(fd), buffer, nil, unix.MSG_DONTWAIT)
			switch {
			case err == nil:
				got(buffer[:n], addressOfSock(from))
			case errors.Is(err, unix.EAGAIN):
				return false // wait for more, or for the end
			case errors.Is(err, unix.EBADF):
				return true
			}
			// Any other error is one that the queue tells of more fully.
		}
	})
}

// queuedError reads one error of a socket's queue.
func queuedError(control, data []byte, to unix.Sockaddr, family prefix.Family) (answer, bool) {
	messages, err := unix.ParseSocketControlMessage(control)
	if err != nil {
		return answer{}, false
	}
	for _, m := range messages {
		const size = int(unsafe.Sizeof(unix.SockExtendedErr{}))
		ours := m.Header.Level == unix.IPPROTO_IP && m.Header.Type == unix.IP_RECVERR || m.Header.Level == unix.IPPROTO_IPV6 &&
			m.Header.Type == unix.IPV6_RECVERR
		if !ours || len(m.Data) < size {
			continue
		}
		e := (*unix.SockExtendedErr)(unsafe.Pointer(&m.Data[0]))
		if e.Origin != unix.SO_EE_ORIGIN_ICMP && e.Origin != unix.SO_EE_ORIGIN_ICMP6 {
			continue // this machine's own word
		}
		a := answer{at: time.Now(), what: forward.ICMP{Type: e.Type, Code: e.Code}, from: offender(m.Data[size:], family),
			to: addressOfSock(to)}
		if port := portOfSock(to); port > 0 {
			a.about = append([]byte{0, 0, byte(port >> 8), byte(port), 0, 0, 0, 0}, data...)
		} else {
			a.about = append([]byte{}, data...)
		}
		return a, a.from.IsValid()
	}
	return answer{}, false
}

// offender is who sent an error: the socket address that follows it.
func offender(b []byte, family prefix.Family) netip.Addr {
	at, length := 8, 16 // behind family, port and flow label
	if family == prefix.IPv4 {
		at, length = 4, 4
	}
	if len(b) < at+length {
		return netip.Addr{}
	}
	a, _ := netip.AddrFromSlice(b[at : at+length])
	return a
}

func addressOfSock(s unix.Sockaddr) netip.Addr {
	switch s := s.(type) {
	case *unix.SockaddrInet4:
		return netip.AddrFrom4(s.Addr)
	case *unix.SockaddrInet6:
		return netip.AddrFrom16(s.Addr).Unmap()
	}
	return netip.Addr{}
}

func portOfSock(s unix.Sockaddr) int {
	switch s := s.(type) {
	case *unix.SockaddrInet4:
		return s.Port
	case *unix.SockaddrInet6:
		return s.Port
	}
	return 0
}
