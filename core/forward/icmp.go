package forward

// ICMP is a type and code: of ICMP (RFC 792) for IPv4 and ICMPv6 (RFC 4443)
// for IPv6.
type ICMP struct{ Type, Code uint8 }

// errorFor is the error a device sends where a way ends; false where it drops
// the packet without a word.
func errorFor(o Outcome, is4 bool) (ICMP, bool) {
	switch o {
	case Unrouted:
		if is4 {
			return ICMP{3, 0}, true // net unreachable
		}
		return ICMP{1, 0}, true // no route to destination
	case Unanswered:
		if is4 {
			return ICMP{3, 1}, true // host unreachable
		}
		return ICMP{1, 3}, true // address unreachable
	case TooBig:
		if is4 {
			return ICMP{3, 4}, true // fragmentation needed
		}
		return ICMP{2, 0}, true // packet too big
	case Refused:
		if is4 {
			return ICMP{3, 13}, true // communication administratively prohibited
		}
		return ICMP{1, 1}, true // the same
	case Looped, Expired:
		return timeExceeded(is4), true
	}
	return ICMP{}, false
}

func timeExceeded(is4 bool) ICMP {
	if is4 {
		return ICMP{11, 0}
	}
	return ICMP{3, 0}
}

func echoReply(is4 bool) ICMP {
	if is4 {
		return ICMP{0, 0}
	}
	return ICMP{129, 0}
}

// Words is what the message says.
func (m ICMP) Words(is4 bool) string {
	switch m {
	case echoReply(is4):
		return "reply"
	case timeExceeded(is4):
		return "time exceeded"
	}
	switch {
	case is4 && m == ICMP{3, 0}:
		return "network unreachable"
	case is4 && m == ICMP{3, 1}:
		return "host unreachable"
	case is4 && m == ICMP{3, 4}:
		return "fragmentation needed"
	case is4 && m == ICMP{3, 13}, !is4 && m == ICMP{1, 1}:
		return "administratively prohibited"
	case !is4 && m == ICMP{2, 0}:
		return "packet too big"
	case !is4 && m == ICMP{1, 0}:
		return "no route to destination"
	case !is4 && m == ICMP{1, 3}:
		return "address unreachable"
	}
	return "unreachable"
}
