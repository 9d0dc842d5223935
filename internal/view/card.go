package view

import (
	"fmt"
	"io"
	"strings"

	"ropeswing/core/ask"
	"ropeswing/core/model"
)

// Card is a page to work from at a device's console, in JSON: the keys of
// Exported, and these.
type Card struct {
	Exported
	Basis string     `json:"basis"` // what the tests' answers stand on
	Tests []CardTest `json:"tests"` // what to try when done
}

// CardTest is one ping to try at the device when all is typed.
type CardTest struct {
	To      string `json:"to"` // an address
	What    string `json:"what"`
	Expects string `json:"expects"` // the predicted verdict
}

// NewCard is the card of a device, with what to ping when all is typed.
func NewCard(spec *model.Spec, d model.DeviceID, basis string, pings []ask.CardPing) Card {
	c := Card{Exported: NewExported(spec, []model.DeviceID{d})[0], Basis: basis, Tests: []CardTest{}}
	for _, p := range pings {
		what := "the operator"
		if p.NextHop {
			what = "next hop"
		}
		if p.Device != model.None {
			what += ", " + spec.Devices[p.Device].Name
		}
		c.Tests = append(c.Tests, CardTest{p.To.String(), what, p.Verdict.String()})
	}
	return c
}

// Table is the tests.
func (c Card) Table() Table {
	t := Table{Columns: []Column{{Key: "to", Title: "ping"}, {Key: "what", Title: "which is"}, {Key: "expects", Title: "expect"}}}
	for _, x := range c.Tests {
		t.Rows = append(t.Rows, []string{x.To, x.What, x.Expects})
	}
	return t
}

// Text writes the page: names, interfaces with their VLANs and addresses, both
// masks, routes, and what to test.
func (c Card) Text(w io.Writer, width int) {
	fmt.Fprintln(w, bold.Render(Clean(c.Device))+" "+faint.Render("("+c.Is+")"))
	if c.Note != "" {
		labelled(w, width, "", Clean(c.Note), "")
	}
	if c.Main != "" || c.MainIPv6 != "" {
		fmt.Fprintln(w, "known by "+strings.TrimSpace(c.Main+" "+c.MainIPv6))
	}
	if len(c.Answers) > 0 {
		at := ""
		if c.Managed != "" {
			at = " at " + c.Managed
		}
		fmt.Fprintln(w, "answers "+Clean(strings.Join(c.Answers, ", ")+at))
	}
	for _, x := range []struct {
		asked string
		all   []string
	}{{"asks for names", c.NameServers}, {"asks for the time", c.TimeServers}, {"sends logs to", c.LogServers}} {
		if len(x.all) > 0 {
			fmt.Fprintln(w, x.asked+" "+strings.Join(x.all, ", "))
		}
	}
	c.ports(w, width)
	c.addresses(w, width)
	c.routes(w, width)
	c.permits(w, width)
	c.translations(w, width)
	c.leases(w, width)
	if len(c.Tests) > 0 {
		fmt.Fprintln(w, "\n"+bold.Render("When done, ping")+" "+faint.Render("("+c.Basis+")"))
		c.Table().Text(w, width, "  ", false)
	}
}

func (c Card) ports(w io.Writer, width int) {
	t := Table{Columns: []Column{{}, {Title: "interface"}, {Title: "VLANs, line"}, {Title: "MTU", Right: true}, {Title: "admin"},
		{Title: "note"}, {}}}
	for _, i := range c.Interfaces {
		what := i.what()
		if what == "" && i.Note == "" && i.MTU == 0 && i.Admin == "up" {
			continue
		}
		mtu := ""
		if i.MTU > 0 {
			mtu = fmt.Sprint(i.MTU)
		}
		t.Rows = append(t.Rows, []string{"", i.Interface, what, mtu, i.Admin, i.Note, ""})
	}
	if len(t.Rows) == 0 {
		return
	}
	t.Rows = foldAlike(t.Rows)
	fmt.Fprintln(w, "\n"+bold.Render("Ports and VLANs"))
	t.Text(w, width, "  ", false)
}

// what is what there is to set at an interface beside its addresses.
func (i ExportedInterface) what() string {
	var parts []string
	add := func(yes bool, text string, args ...any) {
		if yes {
			parts = append(parts, fmt.Sprintf(text, args...))
		}
	}
	var tagged []model.VLAN
	for _, v := range i.Tagged {
		tagged = append(tagged, model.VLAN(v))
	}
	add(len(tagged) > 0, "tagged %s", runs(tagged))
	add(i.Untagged > 0, "untagged %d", i.Untagged)
	add(i.Tag > 0, "tag %d", i.Tag)
	add(len(i.Members) > 0, "groups %s", strings.Join(i.Members, ", "))
	add(i.Group != "", "in %s", i.Group)
	add(i.Line == "serial", "serial")
	add(i.Clocks, "clocked here")
	add(i.Borrows != "", "as %s", i.Borrows)
	add(i.Table != "", "table %s", i.Table)
	add(i.Negotiates, "negotiates")
	add(i.Advertises, "advertises its IPv6 subnets")
	add(len(i.Relays) > 0, "relays leases to %s", strings.Join(i.Relays, ", "))
	add(i.Leased, "asks for its address")
	add(i.Advertised, "takes IPv6 address and gateway as advertised")
	return strings.Join(parts, ", ")
}

func (c Card) addresses(w io.Writer, width int) {
	t := Table{Columns: []Column{{Title: "interface"}, {Title: "address"}, {Title: "mask"}, {Title: "inverse mask"}}}
	for _, i := range c.Interfaces {
		for _, a := range i.Addresses {
			text := strings.TrimSpace(fmt.Sprintf("%s/%d %s", a.Address, a.PrefixLength, a.what()))
			t.Rows = append(t.Rows, []string{i.Interface, text, a.Mask, a.InverseMask})
		}
	}
	if len(t.Rows) > 0 {
		fmt.Fprintln(w, "\n"+bold.Render("Addresses"))
		t.Text(w, width, "  ", false)
	}
}

// watched is what a route watches, and where from.
func watched(r ExportedRoute) string {
	if r.WatchFrom == "" {
		return r.Watch
	}
	return r.Watch + " from " + r.WatchFrom
}

func (c Card) routes(w io.Writer, width int) {
	t := Table{Columns: []Column{{Title: "to"}, {Title: "mask"}, {Title: "next hop"}, {Title: "out of"}, {Title: "distance", Right: true},
		{Title: "table"}, {Title: "watches", Below: true, Lead: "watches "}}}
	for _, r := range c.Routes {
		hop := r.NextHop
		if r.Discard {
			hop = "discard"
		}
		t.Rows = append(t.Rows, []string{fmt.Sprintf("%s/%d", r.To, r.PrefixLength), r.Mask, hop, r.Out, fmt.Sprint(r.Distance), r.Table,
			watched(r)})
	}
	if len(t.Rows) > 0 {
		fmt.Fprintln(w, "\n"+bold.Render("Routes"))
		t.Text(w, width, "  ", false)
	}
}
