package view

import (
	"fmt"
	"io"
	"math/big"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/prefix"
)

// Fit is needs fitted into a block, in JSON. Counts are strings: IPv6 has more
// addresses than JSON's numbers are sure to hold.
type Fit struct {
	Block   string    `json:"block"`
	Sites   []FitSite `json:"sites"`                 // in the order in which needs name them; empty where none does
	Subnets []Fitting `json:"subnets"`               // in the order of the needs
	Fits    bool      `json:"fits"`                  // whether all needs have a subnet; else there are none
	First   string    `json:"first_unfit,omitempty"` // the first need that finds no place
	// how many addresses are missing in all; 0 where only their order or what is taken is in the way
	Missing   string   `json:"missing,omitempty"`
	Free      []string `json:"free"`           // as the fewest subnets
	Addresses string   `json:"addresses"`      // in the block
	Used      string   `json:"used,omitempty"` // given now or taken before

	fitted prefix.Fitted
	unfit  *prefix.Unfit
	needs  int
}

// Fitting is one need and the subnet given to it.
type Fitting struct {
	Site      string `json:"site,omitempty"`
	Name      string `json:"name"`
	Need      string `json:"need,omitempty"` // usable addresses wanted, growth included; absent where a length was wanted
	Prefix    string `json:"prefix"`
	Mask      string `json:"mask,omitempty"` // IPv4
	First     string `json:"first"`          // the first usable address
	Last      string `json:"last"`           // the last usable address
	Broadcast string `json:"broadcast,omitempty"`
	Next      string `json:"next,omitempty"` // the subnet of this size behind it
	Usable    string `json:"usable"`
	Spare     string `json:"spare,omitempty"` // usable addresses beyond the need
}

// FitSite is a site's block, in which its subnets lie.
type FitSite struct {
	Site   string   `json:"site"`
	Prefix string   `json:"prefix"`
	Free   []string `json:"free"`
}

// NewFit puts fitted needs into their JSON form.
func NewFit(f prefix.Fitted) Fit {
	v := Fit{Block: f.Block.String(), Fits: true, needs: len(f.Given), Sites: []FitSite{}, Subnets: []Fitting{}, Free: words(f.Free),
		Addresses: prefix.Addresses(f.Block).String(), Used: f.Used.String(), fitted: f}
	for _, s := range f.Sites {
		v.Sites = append(v.Sites, FitSite{s.Name, s.Subnet.String(), words(s.Free)})
	}
	for _, g := range f.Given {
		facts := prefix.FactsOf(g.Subnet)
		x := Fitting{Site: g.Site, Name: g.Name, Prefix: g.Subnet.String(), First: facts.First.String(), Last: facts.Last.String(),
			Broadcast: address(facts.Broadcast), Next: subnet(facts.Next), Usable: facts.Usable.String()}
		if g.Subnet.Addr().Is4() {
			x.Mask = facts.Mask.String()
		}
		if g.Length == 0 {
			x.Need, x.Spare = g.Hosts.String(), g.Spare.String()
		}
		v.Subnets = append(v.Subnets, x)
	}
	return v
}

// words is subnets as text.
func words(all []netip.Prefix) []string {
	texts := []string{}
	for _, p := range all {
		texts = append(texts, p.String())
	}
	return texts
}

// NewUnfit puts into JSON form that so many needs do not fit into a block.
func NewUnfit(block netip.Prefix, needs int, u *prefix.Unfit) Fit {
	return Fit{Block: block.String(), Sites: []FitSite{}, Subnets: []Fitting{}, Free: []string{}, Addresses: prefix.Addresses(block).String(),
		First: u.First.Name, Missing: u.Short.String(), unfit: u, needs: needs}
}

// Table is the subnets; mask and broadcast address only where there is room.
func (v Fit) Table() Table {
	t := Table{Columns: []Column{
		{Key: "site", Title: "site"}, {Key: "name", Title: "name"}, {Key: "need", Title: "need", Right: true}, {Key: "prefix",
			Title: "subnet"}, {Key: "mask", Title: "mask", IfRoom: true},
		{Key: "first", Title: "first"}, {Key: "last", Title: "last"}, {Key: "broadcast", Title: "broadcast", IfRoom: true}, {Key: "next",
			Title: "next subnet", IfRoom: true},
		{Key: "usable", Title: "usable", Right: true}, {Key: "spare", Title: "spare", Right: true},
	}}
	if v.fitted.Block.Addr().Is6() {
		t.Columns[9].IfRoom = true // a number of twenty digits
	}
	for _, s := range v.Subnets {
		t.Rows = append(t.Rows, []string{s.Site, s.Name, s.Need, s.Prefix, s.Mask, s.First, s.Last, s.Broadcast, s.Next, s.Usable, s.Spare})
	}
	return t
}

// bySite is the table for reading: what is of one site together, below its block.
func (v Fit) bySite() Table {
	t := v.Table()
	if len(v.Sites) == 0 {
		t.Columns = t.Columns[1:]
		for i := range t.Rows {
			t.Rows[i] = t.Rows[i][1:]
		}
		return t
	}
	t.Columns[0].Heading = true
	var rows [][]string
	take := func(site, heading string) {
		for i, r := range t.Rows {
			if v.Subnets[i].Site == site {
				r = slices.Clone(r)
				r[0] = heading
				rows = append(rows, r)
			}
		}
	}
	for _, s := range v.Sites {
		heading := s.Site + " " + s.Prefix
		if len(s.Free) > 0 {
			heading += ", free: " + strings.Join(s.Free, ", ")
		}
		take(s.Site, heading)
	}
	take("", "of no site")
	t.Rows = rows
	return t
}

// Text writes how full the block is, the subnets, and what is free.
func (v Fit) Text(w io.Writer, width int, wide, explain bool) {
	if !v.Fits {
		fmt.Fprintln(w, bad.Render(fmt.Sprintf("%s into %s: they do not fit", Count(v.needs, "need"), v.Block)))
		labelled(w, width, "", Clean(v.unfit.Error()), "")
		return
	}
	total := prefix.Addresses(v.fitted.Block)
	full := new(big.Int).Mul(v.fitted.Used, big.NewInt(1000))
	full.Div(full, total)
	needs := Count(v.needs, "need")
	if len(v.Sites) > 0 {
		needs += " of " + Count(len(v.Sites), "site")
	}
	fmt.Fprintf(w, "%s\n", good.Render(fmt.Sprintf("%s into %s: all fitted, and %s.%s %% of it is in use", needs, v.Block,
		new(big.Int).Div(full, big.NewInt(10)), new(big.Int).Mod(full, big.NewInt(10)))))
	v.bySite().Text(w, width, "", wide)
	free := "nothing"
	if len(v.Free) > 0 {
		free = strings.Join(v.Free, ", ")
	}
	labelled(w, width, "free: ", free, "      ")
	var tight []string
	for _, g := range v.fitted.Given {
		if g.Full() {
			tight = append(tight, g.Name)
		}
	}
	if len(tight) > 0 {
		labelled(w, width, "", "no address is left for a router in "+Clean(strings.Join(tight, ", "))+
			": a plan counts it on top of the hosts, and so does --own 1", "  ")
	}
	if explain {
		v.working(w, width)
	}
}

// working writes how each need became a length and found its place.
func (v Fit) working(w io.Writer, width int) {
	fmt.Fprintln(w, "\n"+bold.Render("how"))
	for _, s := range v.fitted.Sites {
		labelled(w, width, "  ", fmt.Sprintf(
			"%s: the smallest block that holds its subnets has length %d; number %d of %s to be placed, at the start of the free stretch %s",
			Clean(s.Name), s.Subnet.Bits(), s.Rank, Count(len(v.Sites), "block"), s.From), "    ")
	}
	for _, g := range v.fitted.Given {
		name := strings.TrimSpace(Clean(g.Site) + " " + Clean(g.Name))
		text := fmt.Sprintf("%s: length %d, as asked", name, g.Subnet.Bits())
		if g.Length == 0 {
			text = fmt.Sprintf("%s: %s hosts", name, g.Said)
			if g.Grow > 0 {
				text += fmt.Sprintf(", %d %% more", g.Grow)
			}
			if g.Own > 0 {
				text += fmt.Sprintf(", %d of routers and switches", g.Own)
			}
			text += fmt.Sprintf(": %s addresses; length %d has %s usable", g.Hosts, g.Subnet.Bits(), prefix.Usable(g.Subnet))
			if g.Smaller.IsValid() {
				text += fmt.Sprintf(", length %d only %s", g.Smaller.Bits(), prefix.Usable(g.Smaller))
			}
		}
		labelled(w, width, "  ", fmt.Sprintf("%s; number %d to be placed, at the start of the free stretch %s", text, g.Rank, g.From), "    ")
	}
	labelled(w, width, "  ", "the largest go first, each into the smallest free stretch that holds it: as every size divides every larger "+
		"one, that fits whatever can be fitted (--keep-order keeps their order instead)", "    ")
}
