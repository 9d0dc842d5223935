package standin

import "github.com/gosnmp/gosnmp"

// head is what stands in front of a message of version 3, in the clear (RFC 3412 §6, RFC 3414
// §2.4).
type head struct {
	id          uint32
	flags       gosnmp.SnmpV3MsgFlags
	engine      string
	boots, time uint32
	user        string
}

// headOf reads the head of a message; false where it is none of this security model.
func headOf(m []byte) (h head, ok bool) {
	message, _, ok := take(m, 0x30)
	if !ok {
		return h, false
	}
	_, rest, ok1 := take(message, 0x02) // the version
	global, rest, ok2 := take(rest, 0x30)
	inner, _, ok3 := take(rest, 0x04)
	id, g, ok4 := take(global, 0x02)
	_, g, ok5 := take(g, 0x02) // the largest message
	flags, g, ok6 := take(g, 0x04)
	model, _, ok7 := take(g, 0x02)
	if !ok1 || !ok2 || !ok3 || !ok4 || !ok5 || !ok6 || !ok7 || len(flags) != 1 || number(model) != uint32(gosnmp.UserSecurityModel) {
		return h, false
	}
	parameters, _, ok := take(inner, 0x30)
	engine, p, ok1 := take(parameters, 0x04)
	boots, p, ok2 := take(p, 0x02)
	seconds, p, ok3 := take(p, 0x02)
	user, _, ok4 := take(p, 0x04)
	return head{number(id), gosnmp.SnmpV3MsgFlags(flags[0]), string(engine), number(boots), number(seconds), string(user)}, ok && ok1 &&
		ok2 && ok3 && ok4
}

// take is the value of the first datum, which has to have a tag, and what is behind it (ITU-T
// X.690 §8.1).
func take(b []byte, tag byte) (value, rest []byte, ok bool) {
	if len(b) < 2 || b[0] != tag {
		return nil, nil, false
	}
	n, at := int(b[1]), 2
	if n >= 0x80 {
		count := n & 0x7f
		if count == 0 || count > 3 || len(b) < 2+count {
			return nil, nil, false
		}
		n = 0
		for _, x := range b[2 : 2+count] {
			n = n<<8 | int(x)
		}
		at += count
	}
	if len(b) < at+n {
		return nil, nil, false
	}
	return b[at : at+n], b[at+n:], true
}

func number(b []byte) uint32 {
	n := uint32(0)
	for _, x := range b {
		n = n<<8 | uint32(x)
	}
	return n
}
