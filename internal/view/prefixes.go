package view

import (
	"io"
	"net/netip"
)

// Prefix is a subnet in JSON.
type Prefix struct {
	Prefix string `json:"prefix"`
}

// Prefixes is a list of subnets for any format.
func Prefixes(all []netip.Prefix) ([]Prefix, Table) {
	data := make([]Prefix, len(all))
	t := Table{Columns: []Column{{Key: "prefix", Title: "subnet"}}, Rows: make([][]string, len(all))}
	for i, p := range all {
		data[i] = Prefix{p.String()}
		t.Rows[i] = []string{data[i].Prefix}
	}
	return data, t
}

// Cover is a subnet around others in JSON.
type Cover struct {
	Prefix  string   `json:"prefix"`  // the smallest that covers all
	Besides []string `json:"besides"` // what it takes in that was not asked for
}

// Around is the subnet around others for any format.
func Around(p netip.Prefix, besides []netip.Prefix) (Cover, Table) {
	c := Cover{Prefix: p.String(), Besides: []string{}}
	t := Table{Columns: []Column{{Key: "prefix", Title: "subnet"}, {Key: "what", Title: "what it is"}},
		Rows: [][]string{{p.String(), "covers all"}}}
	for _, b := range besides {
		c.Besides = append(c.Besides, b.String())
		t.Rows = append(t.Rows, []string{b.String(), "taken in besides"})
	}
	return c, t
}

// Labelled writes text behind a label, broken at spaces.
func Labelled(w io.Writer, width int, label, text, indent string) {
	labelled(w, width, label, Clean(text), indent)
}
