package view

import (
	"fmt"
	"io"
	"math/big"
	"net/netip"
	"strings"

	"ropeswing/core/prefix"
)

// Fit is needs fitted into a block, in JSON. Counts are strings: IPv6 has more
// addresses than JSON's numbers are sure to hold.
type Fit struct {
	Block     string    `json:"block"`
	Subnets   []Fitting `json:"subnets"`               // in the order of the needs
	Fits      bool      `json:"fits"`                  // whether all needs have a subnet; else there are none
	First     string    `json:"first_unfit,omitempty"` // the first need that finds no place
	Missing   string    `json:"missing,omitempty"`     // how many addresses are missing in all; 0 where only their order or what is taken is in the way
	Free      []string  `json:"free"`                  // as the fewest subnets
	Addresses string    `json:"addresses"`             // in the block
	Used      string    `json:"used,omitempty"`        // given now or taken before

	fitted prefix.Fitted
	unfit  *prefix.Unfit
	needs  int
}

// Fitting is one need and the subnet given to it.
type Fitting struct {
	Name      string `json:"name"`
	Need      string `json:"need,omitempty"` // usable addresses wanted, growth included; absent where a length was wanted
	Prefix    string `json:"prefix"`
	Mask      string `json:"mask,omitempty"` // IPv4
	First     string `json:"first"`          // the first usable address
	Last      string `json:"last"`           // the last usable address
	Broadcast string `json:"broadcast,omitempty"`
	Usable    string `json:"usable"`
	Spare     string `json:"spare,omitempty"` // usable addresses beyond the need
}

// NewFit puts fitted needs into their JSON form.
func NewFit(f prefix.Fitted) Fit {
	v := Fit{Block: f.Block.String(), Fits: true, needs: len(f.Given), Subnets: []Fitting{}, Free: []string{}, Addresses: prefix.Addresses(f.Block).String(), Used: f.Used.String(), fitted: f}
	for _, g := range f.Given {
		facts := prefix.FactsOf(g.Subnet)
		x := Fitting{Name: g.Name, Prefix: g.Subnet.String(), First: facts.First.String(), Last: facts.Last.String(), Broadcast: address(facts.Broadcast), Usable: facts.Usable.String()}
		if g.Subnet.Addr().Is4() {
			x.Mask = facts.Mask.String()
		}
		if g.Length == 0 {
			x.Need, x.Spare = g.Hosts.String(), g.Spare.String()
		}
		v.Subnets = append(v.Subnets, x)
	}
	for _, p := range f.Free {
		v.Free = append(v.Free, p.String())
	}
	return v
}

// NewUnfit puts into JSON form that so many needs do not fit into a block.
func NewUnfit(block netip.Prefix, needs int, u *prefix.Unfit) Fit {
	return Fit{Block: block.String(), Subnets: []Fitting{}, Free: []string{}, Addresses: prefix.Addresses(block).String(), First: u.First.Name, Missing: u.Short.String(), unfit: u, needs: needs}
}

// Table is the subnets; mask and broadcast address only where there is room.
func (v Fit) Table() Table {
	t := Table{Columns: []Column{
		{Key: "name", Title: "name"}, {Key: "need", Title: "need", Right: true}, {Key: "prefix", Title: "subnet"}, {Key: "mask", Title: "mask", IfRoom: true},
		{Key: "first", Title: "first"}, {Key: "last", Title: "last"}, {Key: "broadcast", Title: "broadcast", IfRoom: true},
		{Key: "usable", Title: "usable", Right: true}, {Key: "spare", Title: "spare", Right: true},
	}}
	if v.fitted.Block.Addr().Is6() {
		t.Columns[7].IfRoom = true // a number of twenty digits
	}
	for _, s := range v.Subnets {
		t.Rows = append(t.Rows, []string{s.Name, s.Need, s.Prefix, s.Mask, s.First, s.Last, s.Broadcast, s.Usable, s.Spare})
	}
	return t
}

// Text writes how full the block is, the subnets, and what is free.
func (v Fit) Text(w io.Writer, width int, wide bool) {
	if !v.Fits {
		fmt.Fprintln(w, bad.Render(fmt.Sprintf("%s into %s: they do not fit", Count(v.needs, "need"), v.Block)))
		labelled(w, width, "", Clean(v.unfit.Error()), "")
		return
	}
	total := prefix.Addresses(v.fitted.Block)
	full := new(big.Int).Mul(v.fitted.Used, big.NewInt(1000))
	full.Div(full, total)
	fmt.Fprintf(w, "%s\n", good.Render(fmt.Sprintf("%s into %s: all fitted, and %s.%s %% of it is in use", Count(v.needs, "need"), v.Block, new(big.Int).Div(full, big.NewInt(10)), new(big.Int).Mod(full, big.NewInt(10)))))
	v.Table().Text(w, width, "", wide)
	free := "nothing"
	if len(v.Free) > 0 {
		free = strings.Join(v.Free, ", ")
	}
	labelled(w, width, "free: ", free, "      ")
}
