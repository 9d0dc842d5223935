package yang

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"maps"
	"strings"
)

// ParseXML reads XML: what stands at its top are the children of the node that comes back, each with all that is in it.
func ParseXML(text []byte) (*Node, error) {
	d := xml.NewDecoder(bytes.NewReader(text))
	root := &Node{}
	stack, written := []*Node{root}, [][]byte{nil}
	for {
		t, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		line, _ := d.InputPos()
		if err != nil {
			return nil, fmt.Errorf("line %d: it is no whole XML: %w", line, err)
		}
		top := stack[len(stack)-1]
		switch x := t.(type) {
		case xml.Directive:
			return nil, fmt.Errorf("line %d: a document type has no place here (RFC 6241 §3)", line)
		case xml.StartElement:
			if len(stack) > Deepest {
				return nil, fmt.Errorf("line %d: it is nested too deep", line)
			}
			n := &Node{Space: x.Name.Space, Name: x.Name.Local, Line: line, prefixes: top.prefixes}
			for _, a := range x.Attr {
				n.attribute(a)
			}
			top.Add(n)
			stack, written = append(stack, n), append(written, nil)
		case xml.EndElement:
			top.Text = string(bytes.TrimSpace(written[len(written)-1]))
			stack, written = stack[:len(stack)-1], written[:len(written)-1]
		case xml.CharData:
			if len(top.Children) == 0 {
				written[len(written)-1] = append(written[len(written)-1], x...)
			}
		}
	}
	if len(stack) > 1 || len(root.Children) == 0 {
		return nil, errors.New("it is no whole XML")
	}
	return root, nil
}

// attribute takes in what an element says of itself.
func (n *Node) attribute(a xml.Attr) {
	switch {
	case a.Name.Space == string(NETCONF) && a.Name.Local == "operation",
		(n.Name == "rpc" || n.Name == "rpc-reply") && a.Name.Local == "message-id",
		n.Name == "filter" && a.Name.Local == "type" && (a.Name.Space == "" || a.Name.Space == string(NETCONF)):
		n.Mark = a.Value
	case a.Name.Space == "xmlns":
		more := map[string]string{}
		maps.Copy(more, n.prefixes)
		more[a.Name.Local] = a.Value
		n.prefixes = more
	}
}

// With is a node with a prefix that its value uses.
func (n *Node) With(prefix string, m Module) *Node {
	n.prefixes = map[string]string{prefix: string(m)}
	return n
}

// XML writes a node as it stands in one of the namespace around it, on one line.
func (n *Node) XML(b *bytes.Buffer, around string) { n.xml(b, around, -1) }

// XMLLines writes a node as XML does, with a line for each, indented by so many blanks and more.
func (n *Node) XMLLines(b *bytes.Buffer, around string, depth int) { n.xml(b, around, depth) }

func (n *Node) xml(b *bytes.Buffer, around string, depth int) {
	indent, end, below := "", "", -1
	if depth >= 0 {
		indent, end, below = strings.Repeat(" ", depth), "\n", depth+1
	}
	b.WriteString(indent + "<" + n.Name)
	if n.Space != around {
		attribute(b, "xmlns", n.Space)
	}
	if len(n.Children) == 0 {
		if prefix, _, ok := strings.Cut(n.Text, ":"); ok {
			space := n.prefixes[prefix]
			if space == "" {
				space = string(Named(prefix))
			}
			if space != "" {
				attribute(b, "xmlns:"+prefix, space)
			}
		}
	}
	if n.Mark != "" {
		attribute(b, "xmlns:nc", string(NETCONF))
		attribute(b, "nc:operation", n.Mark)
	}
	switch {
	case len(n.Children) == 0 && n.Text == "":
		b.WriteString("/>" + end)
	case len(n.Children) == 0:
		b.WriteString(">")
		_ = xml.EscapeText(b, []byte(n.Text))
		b.WriteString("</" + n.Name + ">" + end)
	default:
		b.WriteString(">" + end)
		for _, c := range n.Children {
			c.xml(b, n.Space, below)
		}
		b.WriteString(indent + "</" + n.Name + ">" + end)
	}
}

func attribute(b *bytes.Buffer, name, value string) {
	b.WriteString(" " + name + `="`)
	_ = xml.EscapeText(b, []byte(value))
	b.WriteString(`"`)
}
