package yang

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
)

// ParseJSON reads JSON as RFC 7951 has it: what stands at its top are the children of the node that comes back.
func ParseJSON(text []byte) (*Node, error) {
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	root := &Node{}
	p := &parser{d: d, line: 1, text: text}
	err := p.value(root, "", "", 0)
	switch {
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return nil, errors.New("it is no whole JSON: it breaks off")
	case err != nil:
		return nil, err
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return nil, fmt.Errorf("line %d: there is more behind the end of the JSON", p.at())
	}
	if len(root.Children) != 1 || root.Children[0].Text != "" {
		return nil, errors.New("it is no JSON of models: these are an object")
	}
	return root.Children[0], nil
}

// parser counts lines as it goes.
type parser struct {
	d          *json.Decoder
	text       []byte
	line, seen int // the line, and up to where it was counted
}

func (p *parser) at() int {
	now := int(p.d.InputOffset())
	p.line += bytes.Count(p.text[p.seen:now], []byte("\n"))
	p.seen = now
	return p.line
}

// value adds the next value to a node, of an array each of its values.
func (p *parser) value(into *Node, space, name string, depth int) error {
	if depth > Deepest {
		return fmt.Errorf("line %d: it is nested too deep", p.at())
	}
	t, err := p.d.Token()
	if err != nil {
		var syntax *json.SyntaxError
		if errors.As(err, &syntax) {
			return fmt.Errorf("line %d: it is no JSON: %w", 1+bytes.Count(p.text[:min(int(syntax.Offset), len(p.text))], []byte("\n")), err)
		}
		return err
	}
	n := &Node{Space: space, Name: name, Line: p.at()}
	switch x := t.(type) {
	case json.Delim:
		if x == '[' {
			for p.d.More() {
				if err := p.value(into, space, name, depth+1); err != nil {
					return err
				}
			}
			_, err := p.d.Token()
			return err
		}
		into.Add(n)
		for p.d.More() {
			key, err := p.d.Token()
			if err != nil {
				return err
			}
			if err := p.member(n, key.(string), depth); err != nil {
				return err
			}
		}
		_, err := p.d.Token()
		return err
	case nil: // an empty leaf is an array with this in it (RFC 7951 §6.9)
	case string:
		n.Text = x
	default:
		n.Text = fmt.Sprint(x)
	}
	into.Add(n)
	return nil
}

// member adds the next value to a node as what its key names. One without a module is of the module around it (RFC 7951 §4).
func (p *parser) member(n *Node, key string, depth int) error {
	if strings.HasPrefix(key, "@") { // metadata (RFC 7952)
		return p.value(&Node{}, "", key, depth+1)
	}
	space := n.Space
	if module, rest, ok := strings.Cut(key, ":"); ok {
		if key, space = rest, string(Named(module)); space == "" {
			space = module
		}
	}
	return p.value(n, space, key, depth+1)
}

// JSON is data as JSON (RFC 7951), as the models say of each what it is.
func JSON(all []*Node) ([]byte, error) {
	top := map[string]any{}
	for _, n := range all {
		n.into(top, "", Data().In(n))
	}
	text, err := json.MarshalIndent(top, "", " ")
	return append(text, '\n'), err
}

func (n *Node) into(parent map[string]any, around string, s *Schema) {
	key := n.Name
	if n.Space != around {
		key = Module(n.Space).Name() + ":" + n.Name
	}
	var value any
	switch {
	case s != nil && s.Type == Empty:
		value = []any{nil}
	case s != nil && (s.Type == Flag || s.Type == Count):
		value = json.RawMessage(n.Text)
	case s != nil && s.IsLeaf():
		value = n.Text
	default:
		o := map[string]any{}
		for _, c := range n.Children {
			c.into(o, n.Space, s.In(c))
		}
		value = o
	}
	if s != nil && s.IsList() {
		list, _ := parent[key].([]any)
		parent[key] = append(list, value)
		return
	}
	parent[key] = value
}
