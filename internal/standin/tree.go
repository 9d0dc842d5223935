package standin

import (
	"errors"
	"slices"

	"ropeswing/internal/yang"
)

// parse reads one element and what is in it.
func parse(text []byte) (*yang.Node, error) {
	root, err := yang.ParseXML(text)
	if err != nil {
		return nil, err
	}
	if len(root.Children) > 1 {
		return nil, errors.New("there is more than one element")
	}
	return root.Children[0], nil
}

// largest bounds what is taken in, in bytes.
const largest = 8 << 20

// edit changes data as edit-config says (RFC 6241 §7.2). What is refused may have changed some
// of it: edit a copy.
func edit(into, from *yang.Node, s *yang.Schema, operation, path string) error {
	for _, x := range from.Children {
		sub := s.In(x)
		at := path + "/" + x.Name
		if sub == nil || sub.Told || x.Space == "" {
			return yang.Refused("unknown-element", at, "there is no %s that can be set here", x.Name)
		}
		op := operation
		if x.Mark != "" {
			op = x.Mark
		}
		if err := whole(sub, x, at); err != nil {
			return err
		}
		i := slices.IndexFunc(into.Children, func(c *yang.Node) bool { return sub.Same(c, x) })
		switch op {
		case "delete", "remove":
			if i < 0 && op == "delete" {
				return yang.Refused("data-missing", at, "there is no %s to delete", sub.Called(x))
			}
			if i >= 0 {
				into.Children = slices.Delete(into.Children, i, i+1)
			}
			continue
		case "create":
			if i >= 0 {
				return yang.Refused("data-exists", at, "there is %s already", sub.Called(x))
			}
		case "replace":
			if i >= 0 {
				into.Children = slices.Delete(into.Children, i, i+1)
				i = -1
			}
		case "merge", "none":
		default:
			return yang.Refused("bad-attribute", at, "there is no operation %q", op)
		}
		if i < 0 {
			if op == "none" && (sub.IsLeaf() || !edits(x)) {
				return yang.Refused("data-missing", at, "there is no %s", sub.Called(x))
			}
			fresh := x.Copy()
			fresh.Children = nil
			if sub.IsLeaf() {
				if err := holds(sub, x, at); err != nil {
					return err
				}
				into.Add(fresh)
				continue
			}
			into.Add(fresh)
			if err := edit(fresh, x, sub, inner(op), at); err != nil {
				return err
			}
			continue
		}
		if sub.IsLeaf() && !sub.Many {
			if op != "none" {
				if err := holds(sub, x, at); err != nil {
					return err
				}
				into.Children[i] = x.Copy()
			}
			continue
		}
		if sub.Many {
			continue
		}
		if err := edit(into.Children[i], x, sub, op, at); err != nil {
			return err
		}
	}
	return nil
}

// inner is what is done below something that is new.
func inner(op string) string {
	if op == "replace" || op == "create" {
		return "merge"
	}
	return op
}

// edits tells whether something below says what to do.
func edits(x *yang.Node) bool {
	return slices.ContainsFunc(x.Children, func(c *yang.Node) bool { return c.Mark != "" || edits(c) })
}

// whole refuses an entry of a list without its keys.
func whole(s *yang.Schema, x *yang.Node, at string) error {
	for _, k := range s.Keys {
		if x.Leaf(k) == "" {
			return yang.Refused("missing-element", at, "%s has no %s, by which it is known", x.Name, k)
		}
	}
	if s.IsLeaf() && len(x.Children) > 0 {
		return yang.Refused("bad-element", at, "%s has nothing in it but a value", x.Name)
	}
	return nil
}

// holds refuses a value that a leaf cannot have.
func holds(s *yang.Schema, x *yang.Node, at string) error {
	if !s.Holds(x, true) {
		return yang.Refused("invalid-value", at, "%q is no value of %s", x.Text, x.Name)
	}
	return nil
}

// filtered is what a subtree filter lets through (RFC 6241 §6); nil where nothing.
func filtered(data, filter *yang.Node) *yang.Node {
	if len(filter.Children) == 0 {
		if filter.Text != "" && filter.Text != data.Text {
			return nil
		}
		return data.Copy()
	}
	for _, f := range filter.Children { // content that has to match
		if len(f.Children) == 0 && f.Text != "" {
			if !slices.ContainsFunc(data.Children, func(c *yang.Node) bool { return matches(c, f) && yang.Bare(c.Text) == yang.Bare(f.Text) }) {
				return nil
			}
		}
	}
	out := *data
	out.Children = nil
	only := true // content only: all the others go with it
	for _, f := range filter.Children {
		only = only && len(f.Children) == 0 && f.Text != ""
	}
	if only {
		return data.Copy()
	}
	for _, c := range data.Children {
		for _, f := range filter.Children {
			if !matches(c, f) {
				continue
			}
			if x := filtered(c, f); x != nil {
				out.Children = append(out.Children, x)
				break
			}
		}
	}
	if len(out.Children) == 0 {
		return nil
	}
	return &out
}

// matches tells whether a filter's element is of a datum; one without a namespace is of any.
func matches(c, f *yang.Node) bool {
	return c.Name == f.Name && (f.Space == "" || f.Space == string(yang.NETCONF) || f.Space == c.Space)
}
