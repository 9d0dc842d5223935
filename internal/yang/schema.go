package yang

import (
	_ "embed"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"sync"

	"ropeswing/core/prefix"
)

// Type is what a leaf may hold.
type Type uint8

const (
	NoLeaf      Type = iota // a container, or an entry of a list
	Text                    // anything
	Flag                    // true or false
	Empty                   // nothing: it is there, or not
	Identity                // a name, with or without its module
	Among                   // one of some words
	Count                   // a number of up to 32 bits, within bounds
	Long                    // a number of up to 64 bits, which JSON writes as text (RFC 7951 §6.1)
	IPAddress               // of either family
	MAC                     // of six bytes
	Destination             // a prefix without host bits, of its module's family
)

var types = map[string]Type{"text": Text, "flag": Flag, "empty": Empty, "identity": Identity, "among": Among, "count": Count, "long": Long,
	"address": IPAddress, "mac": MAC, "destination": Destination}

// Schema is what the models say of a datum, and of what is in it.
type Schema struct {
	Name    string
	Modules []Module
	Keys    []string // of a list: by which its entries are told apart
	Type    Type
	Many    bool // there may be several: entries without keys, or values
	Told    bool // it is only told, and cannot be set

	words     []string // of Among; of Identity those that can be set
	low, high uint64   // of Count
	whole     bool     // what differs in it is replaced as a whole
	stays     bool     // it is never deleted as a whole: there may be more in it than is known here
	fixed     bool     // it is not changed once it is there
	in        []*Schema
}

//go:embed schema.txt
var table string

// Data is what may stand at the top.
var Data = sync.OnceValue(func() *Schema {
	short := map[string]Module{"if": Interfaces, "ip": IP, "rt": Routing, "4": Unicast4, "6": Unicast6, "dev": Device}
	top := &Schema{}
	stack := []*Schema{top}
	for line := range strings.Lines(table) {
		words := strings.Fields(line)
		if len(words) == 0 || words[0] == "#" {
			continue
		}
		stack = stack[:1+len(line)-len(strings.TrimLeft(line, " "))]
		above := stack[len(stack)-1]
		s := &Schema{Modules: above.Modules}
		modules, name, ok := strings.Cut(words[0], ":")
		if !ok {
			name = modules
		} else {
			s.Modules = nil
			for m := range strings.SplitSeq(modules, "+") {
				s.Modules = append(s.Modules, short[m])
			}
		}
		s.Name = name
		s.says(above, words[1:])
		above.in, stack = append(above.in, s), append(stack, s)
	}
	return top
})

// says takes in what a line of the table says behind its name.
func (s *Schema) says(above *Schema, words []string) {
	for _, x := range []struct {
		word string
		is   *bool
	}{{"told", &s.Told}, {"whole", &s.whole}, {"stays", &s.stays}, {"fixed", &s.fixed}} {
		if n := len(words) - 1; n >= 0 && words[n] == x.word {
			*x.is, words = true, words[:n]
		}
	}
	if len(words) > 0 && words[0] == "many" {
		s.Many, words = true, words[1:]
	}
	if len(words) == 0 {
		return
	}
	switch words[0] {
	case "by":
		s.Keys = strings.Split(words[1], ",")
		return
	case "rows":
		s.Many = true
		return
	case "like":
		s.in = above.named(words[1]).in
		return
	}
	s.Type, s.words = types[words[0]], words[1:]
	if s.Type == Count {
		s.low, _ = strconv.ParseUint(words[1], 10, 64)
		s.high, _ = strconv.ParseUint(words[2], 10, 64)
	}
}

func (s *Schema) named(name string) *Schema {
	for _, x := range s.in {
		if x.Name == name {
			return x
		}
	}
	return nil
}

// In is what the models say of a datum that stands in one of this kind; nil where they have no such, or it is another module's. One
// that says no module is taken as of the models.
func (s *Schema) In(n *Node) *Schema {
	if s == nil {
		return nil
	}
	x := s.named(n.Name)
	if x == nil || n.Space != "" && !slices.Contains(x.Modules, Module(n.Space)) {
		return nil
	}
	return x
}

// Module finds what stands below by its module and name; nil where there is none.
func (s *Schema) Module(m Module, name string) *Schema {
	return s.In(&Node{Space: string(m), Name: name})
}

// Leaves visits every leaf of the models.
func (s *Schema) Leaves(visit func(*Schema)) {
	for _, x := range s.in {
		if x.IsLeaf() {
			visit(x)
		}
		x.Leaves(visit)
	}
}

// IsLeaf tells whether it is a leaf, or one of several values.
func (s *Schema) IsLeaf() bool { return s.Type != NoLeaf }

// IsList tells whether there may be several.
func (s *Schema) IsList() bool { return s.Many || len(s.Keys) > 0 }

// Called is a datum by its name and its keys.
func (s *Schema) Called(n *Node) string {
	all := n.Name
	for _, k := range s.Keys {
		all += " " + n.Leaf(k)
	}
	return all
}

// ID is the same of two data that stand in one where they are one and the same.
func (s *Schema) ID(n *Node) string {
	id := n.Space + " " + n.Name
	if s.Many {
		id += " " + n.Text
	}
	for _, k := range s.Keys {
		id += " " + Bare(n.Leaf(k))
	}
	return id
}

// Same tells whether two data that stand in one are one and the same.
func (s *Schema) Same(a, b *Node) bool { return a.Name == b.Name && s.ID(a) == s.ID(b) }

// Holds tells whether a leaf may hold what a node has. What is set is held more strictly: an identity has to be one that is known.
func (s *Schema) Holds(n *Node, set bool) bool {
	v := strings.TrimSpace(n.Text)
	switch s.Type {
	case Flag:
		return v == "true" || v == "false"
	case Empty:
		return v == ""
	case Identity:
		return v != "" && !strings.ContainsAny(v, " <>") && (!set || slices.Contains(s.words, Bare(v)))
	case Among:
		return slices.Contains(s.words, v)
	case Count:
		x, err := strconv.ParseUint(v, 10, 64)
		return err == nil && x >= s.low && x <= s.high
	case Long:
		_, err := strconv.ParseUint(v, 10, 64)
		return err == nil
	case IPAddress:
		_, err := netip.ParseAddr(v)
		return err == nil
	case MAC:
		_, err := prefix.ParseMAC(v)
		return err == nil
	case Destination:
		p, err := netip.ParsePrefix(v)
		m := Module(n.Space)
		return err == nil && p == p.Masked() && (m != Unicast4 || p.Addr().Is4()) && (m != Unicast6 || p.Addr().Is6())
	}
	return true
}

// Bad is a place in data that cannot be as it is.
type Bad struct {
	Path []string // the names from the top
	Line int
	Text string
	Why  string
}

// Fit takes out of data what the models do not have, such as what other modules add, and what cannot be as it is: a value that its
// leaf cannot have, and what stands twice. Of these it tells. Which of the models here something is said to be of is not looked at:
// texts written by hand are taken as they are meant.
func (s *Schema) Fit(n *Node) []Bad { return s.fit(n, nil) }

func (s *Schema) fit(n *Node, path []string) []Bad {
	var bad []Bad
	var once [16]*Schema // what was there, of which there may be one
	single := once[:0]
	var entries map[string]bool // of lists, by their keys
	n.Children = slices.DeleteFunc(n.Children, func(c *Node) bool {
		x := s.named(c.Name)
		if x == nil || c.Space != "" && Module(c.Space).Name() == c.Space {
			return true
		}
		tell := func(format string, args ...any) bool {
			bad = append(bad, Bad{append(slices.Clone(path), c.Name), c.Line, c.Text, fmt.Sprintf(format, args...)})
			return true
		}
		switch {
		case x.IsLeaf() && len(c.Children) > 0:
			return tell("%s is a value, and has more in it", c.Name)
		case x.IsLeaf() && !x.Holds(c, false):
			return tell("%q is no value of %s", c.Text, c.Name)
		case !x.IsLeaf():
			below := x.fit(c, append(path[:len(path):len(path)], c.Name))
			if bad = append(bad, below...); len(below) > 0 && slices.ContainsFunc(x.Keys, func(k string) bool { return c.Leaf(k) == "" }) {
				return true // what it is of is not known
			}
		}
		switch key := x.Called(c); {
		case x.Many:
		case len(x.Keys) > 0:
			if entries == nil {
				entries = map[string]bool{}
			}
			if entries[key] && key != c.Name+strings.Repeat(" ", len(x.Keys)) {
				c.Text = key
				return tell("%s is said twice", key)
			}
			entries[key] = true
		case slices.Contains(single, x):
			return tell("%s is said twice", c.Name)
		default:
			single = append(single, x)
		}
		return false
	})
	return bad
}
