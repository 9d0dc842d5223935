// Package yang has data of the YANG models that are spoken here as trees: read and written as XML (RFC 7950) and as JSON
// (RFC 7951), held against what the models say, compared, and what a server says where it refuses.
package yang

import (
	"net/netip"
	"strings"
)

// Node is a datum: a container or an entry of a list with what is in it, or a leaf with its text.
type Node struct {
	Space    string // the namespace of its module; "" where the text says none
	Name     string // without its module
	Text     string // of a leaf
	Line     int    // where it stands, from 1; 0 where it was not read from a text
	Mark     string // an edit's operation (RFC 6241 §7.2), a filter's type, or a message's identifier; "" where it says none
	Children []*Node

	prefixes map[string]string // those in force where it was read, which the value of an identity may need
}

// Deepest is how many levels data may have: those of the models have not half of it.
const Deepest = 64

// Box is a container, or an entry of a list, of a module.
func Box(module Module, name string, children ...*Node) *Node {
	return &Node{Space: string(module), Name: name, Children: children}
}

// Leaf is a leaf of a module, with its value.
func Leaf(module Module, name, text string) *Node {
	return &Node{Space: string(module), Name: name, Text: text}
}

// Add puts more into a node.
func (n *Node) Add(all ...*Node) { n.Children = append(n.Children, all...) }

// Child is the first of that name below a node; nil where there is none, or no node.
func (n *Node) Child(name string) *Node {
	if n != nil {
		for _, c := range n.Children {
			if c.Name == name {
				return c
			}
		}
	}
	return nil
}

// Leaf is the text of a child, "" where there is none.
func (n *Node) Leaf(name string) string {
	if c := n.Child(name); c != nil {
		return c.Text
	}
	return ""
}

// Each visits all of that name below a node, in their order.
func (n *Node) Each(name string, visit func(*Node)) {
	if n != nil {
		for _, c := range n.Children {
			if c.Name == name {
				visit(c)
			}
		}
	}
}

// Copy is a node with all that is in it, without marks.
func (n *Node) Copy() *Node {
	c := *n
	c.Mark, c.Children = "", make([]*Node, 0, len(n.Children))
	for _, x := range n.Children {
		c.Children = append(c.Children, x.Copy())
	}
	return &c
}

// Bare is an identity, or a name, without the module or prefix it is written with. Addresses have colons too, and are left alone.
func Bare(text string) string {
	if _, rest, ok := strings.Cut(text, ":"); ok && rest != "" && !strings.Contains(rest, ":") {
		if _, err := netip.ParsePrefix(text); err != nil {
			return rest
		}
	}
	return text
}
