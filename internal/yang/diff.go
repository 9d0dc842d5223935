package yang

import "slices"

// Diff is what an edit says (RFC 6241 §7.2) to make of one configuration another, which both stand at the top of the models: only what
// differs. What goes stands before what comes, since another may take its place.
func Diff(before, after []*Node) []*Node {
	return Data().diff(&Node{Children: before}, &Node{Children: after}).Children
}

// diff is what differs between two that are one and the same datum: that datum with its keys, and what differs in it.
func (s *Schema) diff(was, is *Node) *Node {
	out := &Node{Space: is.Space, Name: is.Name, prefixes: is.prefixes}
	for _, k := range s.Keys {
		out.Add(is.Child(k))
	}
	had, has := s.index(was), s.index(is)
	for _, c := range was.Children {
		x := s.In(c)
		if x == nil || has[x.ID(c)] != nil {
			continue
		}
		if x.stays {
			if d := x.diff(c, &Node{Space: c.Space, Name: c.Name}); len(d.Children) > 0 {
				out.Add(d)
			}
			continue
		}
		gone := &Node{Space: c.Space, Name: c.Name, Text: c.Text, Mark: "delete"}
		for _, k := range x.Keys {
			gone.Add(c.Child(k))
		}
		out.Add(gone)
	}
	for _, c := range is.Children {
		x := s.In(c)
		if x == nil || slices.Contains(s.Keys, c.Name) {
			continue
		}
		switch there := had[x.ID(c)]; {
		case there != nil && (x.fixed || same(there, c)):
		case there == nil || x.IsLeaf() || x.whole:
			if c = c.Copy(); x.whole {
				c.Mark = "replace"
			}
			out.Add(c)
		default:
			out.Add(x.diff(there, c))
		}
	}
	return out
}

// index is what is in a node, by what tells it from others.
func (s *Schema) index(n *Node) map[string]*Node {
	all := make(map[string]*Node, len(n.Children))
	for _, c := range n.Children {
		if x := s.In(c); x != nil {
			all[x.ID(c)] = c
		}
	}
	return all
}

// same tells whether two data say the same.
func same(a, b *Node) bool {
	return a.Name == b.Name && a.Space == b.Space && a.Text == b.Text && slices.EqualFunc(a.Children, b.Children, same)
}
