package forward

import "ropeswing/core/prefix"

// ICMP is a type and code: of ICMP (RFC 792) for IPv4 and ICMPv6 (RFC 4443)
// for IPv6.
type ICMP struct{ Type, Code uint8 }

// errorFor is the error a device sends where a way ends; false where it drops
// the packet silently.
func errorFor(o Outcome, family prefix.Family) (ICMP, bool) {
	switch o {
	case Unrouted:
		if family == prefix.IPv4 {
			return ICMP{3, 0}, true // net unreachable
		}
		return ICMP{1, 0}, true // no route to destination
	case Unanswered:
		if family == prefix.IPv4 {
			return ICMP{3, 1}, true // host unreachable
		}
		return ICMP{1, 3}, true // address unreachable
	case TooBig:
		if family == prefix.IPv4 {
			return ICMP{3, 4}, true // fragmentation needed
		}
		return ICMP{2, 0}, true // packet too big
	case LinkBound:
		return ICMP{1, 2}, family == prefix.IPv6 // beyond scope of source address
	case Refused:
		if family == prefix.IPv4 {
			return ICMP{3, 13}, true // communication administratively prohibited
		}
		return ICMP{1, 1}, true // the same
	case Looped, Expired:
		return timeExceeded(family), true
	}
	return ICMP{}, false
}

func timeExceeded(family prefix.Family) ICMP {
	if family == prefix.IPv4 {
		return ICMP{11, 0}
	}
	return ICMP{3, 0}
}

// portUnreachable is what a host says of a datagram for a port that nobody listens on.
func portUnreachable(family prefix.Family) ICMP {
	if family == prefix.IPv4 {
		return ICMP{3, 3}
	}
	return ICMP{1, 4}
}

func echoReply(family prefix.Family) ICMP {
	if family == prefix.IPv4 {
		return ICMP{0, 0}
	}
	return ICMP{129, 0}
}

// Arrived tells whether a message that the target itself sends shows that a probe got to
// it.
func (m ICMP) Arrived(family prefix.Family) bool {
	return m == echoReply(family) || m == portUnreachable(family)
}

// Passing tells whether a message says only that a probe's TTL ran out.
func (m ICMP) Passing(family prefix.Family) bool { return m == timeExceeded(family) }

// Words is what the message says.
func (m ICMP) Words(family prefix.Family) string {
	switch m {
	case echoReply(family):
		return "reply"
	case timeExceeded(family):
		return "time exceeded"
	}
	switch {
	case family == prefix.IPv4 && m == ICMP{3, 0}:
		return "network unreachable"
	case family == prefix.IPv4 && m == ICMP{3, 1}:
		return "host unreachable"
	case family == prefix.IPv4 && m == ICMP{3, 4}:
		return "fragmentation needed"
	case family == prefix.IPv4 && m.Type == 3 && (m.Code == 9 || m.Code == 10 || m.Code == 13), family == prefix.IPv6 &&
		m == ICMP{1, 1}: // RFC 1122 §3.2.2.1, RFC 1812 §5.2.7.1
		return "administratively prohibited"
	case m == portUnreachable(family):
		return "port unreachable"
	case family == prefix.IPv6 && m == ICMP{2, 0}:
		return "packet too big"
	case family == prefix.IPv6 && m == ICMP{1, 2}:
		return "beyond scope of source address"
	case family == prefix.IPv6 && m == ICMP{1, 0}:
		return "no route to destination"
	case family == prefix.IPv6 && m == ICMP{1, 3}:
		return "address unreachable"
	}
	return "unreachable"
}
