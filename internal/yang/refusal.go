package yang

import (
	"bytes"
	"encoding/xml"
	"fmt"
	"strings"
)

// Refusal is that a server refuses a request, and why (RFC 6241 appendix A).
type Refusal struct {
	Tag, Message, Path string
	Session            int // who holds a lock; 0 where that is not why
}

// Refused is a refusal by its tag, the place it is about, and a message.
func Refused(tag, path, message string, args ...any) *Refusal {
	return &Refusal{Tag: tag, Path: path, Message: fmt.Sprintf(message, args...)}
}

// Error implements error.
func (r *Refusal) Error() string {
	text := r.Tag
	if r.Message != "" {
		text = r.Message + " (" + r.Tag + ")"
	}
	if r.Path != "" {
		text += " at " + r.Path
	}
	return text
}

// RefusalIn is the first refusal of an answer, warnings passed over; nil where there is none.
func RefusalIn(reply *Node) *Refusal {
	for _, c := range reply.Children {
		if c.Name == "rpc-error" && c.Leaf("error-severity") != "warning" {
			return &Refusal{Tag: c.Leaf("error-tag"), Message: strings.Join(strings.Fields(c.Leaf("error-message")), " "), Path: c.Leaf("error-path")}
		}
	}
	return nil
}

// RPC writes a refusal as NETCONF has it.
func (r *Refusal) RPC() string {
	kind := "application"
	if r.Tag == "malformed-message" || r.Tag == "missing-attribute" {
		kind = "rpc"
	}
	n := Box(NETCONF, "rpc-error", Leaf(NETCONF, "error-type", kind), Leaf(NETCONF, "error-tag", r.Tag),
		Leaf(NETCONF, "error-severity", "error"))
	n.about(NETCONF, r)
	if r.Tag == "lock-denied" {
		n.Add(Box(NETCONF, "error-info", Leaf(NETCONF, "session-id", fmt.Sprint(r.Session))))
	}
	var b bytes.Buffer
	n.XML(&b, string(NETCONF))
	return b.String()
}

// Web writes a refusal as RESTCONF has it (RFC 8040 §7.1).
func (r *Refusal) Web(space string) []byte {
	m := Module(space)
	n := Box(m, "error", Leaf(m, "error-type", "application"), Leaf(m, "error-tag", r.Tag))
	n.about(m, r)
	var b bytes.Buffer
	b.WriteString(xml.Header)
	Box(m, "errors", n).XML(&b, "")
	return b.Bytes()
}

func (n *Node) about(m Module, r *Refusal) {
	if r.Path != "" {
		n.Add(Leaf(m, "error-path", r.Path))
	}
	if r.Message != "" {
		n.Add(Leaf(m, "error-message", r.Message))
	}
}
