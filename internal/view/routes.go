package view

import (
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/derive"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
	"ropeswing/core/routing"
	"ropeswing/core/verify"
)

// Route is a route in JSON.
type Route struct {
	Device    string `json:"device"`
	Table     string `json:"table,omitempty"`      // its name, where it is not the main one
	To        string `json:"to"`                   // a prefix
	Source    string `json:"source"`               // local, direct, static, derived or learned
	NextHop   string `json:"next_hop,omitempty"`   // an address, or discard
	Through   string `json:"through,omitempty"`    // the device that has the next hop
	Out       string `json:"out,omitempty"`        // the interface it leaves by
	Distance  int    `json:"distance"`             // lower wins
	Metric    uint32 `json:"metric"`               // lower wins among equal distances
	Watch     string `json:"watch,omitempty"`      // usable only while this answers by the next hop
	WatchFrom string `json:"watch_from,omitempty"` // where it is asked from, where that is said
	State     string `json:"state"`                // in use, standby or unusable
	Discards  bool   `json:"discards"`             // drops what matches
	Why       string `json:"why,omitempty"`        // why it is unusable, or discards though it has a next hop
	Place     string `json:"place,omitempty"`      // where the plan says so: file:line:column

	watched string
}

// RouteFilter says which routes to list.
type RouteFilter struct {
	Families prefix.Only
	Covering netip.Addr // only those that match it, longest first; invalid for all
	Sources  []string   // only those of these sources, none for all
	Standby  bool       // only those that stand by or are unusable
	Wide     bool       // the devices' own addresses too
	NoData   bool       // only the table is made: of a million and a half routes each of the two takes half a gigabyte
	NoRows   bool       // only the data are made
}

func (f RouteFilter) takes(e routing.Entry) bool {
	family := prefix.FamilyOf(e.Prefix.Addr())
	return f.Families.Has(family) && (len(f.Sources) == 0 || slices.Contains(f.Sources, e.Source.String())) && !(f.Standby && e.InUse)
}

// Routes is the routes of the given devices for any format. Local routes, the
// devices' own addresses, are in the table only where the plan says beyond, and
// in JSON always.
func Routes(net *forward.Network, devices []model.DeviceID, f RouteFilter) ([]Route, Table) {
	table := Table{Columns: []Column{
		{Key: "device", Title: "device"}, {Key: "to", Title: "to"}, {Key: "next_hop", Title: "next hop"},
		{Key: "out", Title: "out of"}, {Key: "source", Title: "source"}, {Key: "distance", Title: "dist", Right: true},
		{Key: "metric", Title: "metric", Right: true, Wide: true}, {Key: "state", Title: "state"}, {Key: "watch", Title: "watches", Below: true,
			Lead: "watches "}, {Key: "place", Title: "written at", Wide: true}, {Key: "why", Title: "why", Below: true},
	}, Empty: "no routes"}
	data := []Route{}
	spec := net.Spec
	var before Route // the last that was told
	for _, d := range devices {
		for _, view := range net.Of(d) {
			heading := spec.Devices[d].Name
			if view.Name() != "" {
				heading += ", table " + view.Name()
			}
			entries := view.Entries()
			if f.Covering.IsValid() {
				entries = view.Covering(f.Covering)
			}
			decided := false
			for _, e := range entries {
				if !f.takes(e) {
					continue
				}
				x := newRoute(net, view, d, e)
				if f.Covering.IsValid() && e.InUse {
					if decided && x.Why == "" && before.To != x.To {
						x.Why = "a longer prefix decides"
					}
					decided = true
				}
				if before = x; !f.NoData {
					data = append(data, x)
				}
				if f.NoRows {
					continue
				}
				if e.Source == routing.Local && e.Out() != model.None && !f.Wide && !f.Covering.IsValid() {
					continue
				}
				next := x.NextHop
				if x.Through != "" {
					next += " " + x.Through
				}
				table.Rows = append(table.Rows,
					[]string{heading, x.To, next, x.Out, x.Source, strconv.Itoa(x.Distance), strconv.FormatUint(uint64(x.Metric), 10),
						stateWord(e), x.watched, lineOf(x.Place), x.Why})
			}
		}
	}
	return data, table.headed()
}

func newRoute(net *forward.Network, view routing.View, d model.DeviceID, e routing.Entry) Route {
	spec := net.Spec
	x := Route{Device: spec.Devices[d].Name, Table: view.Name(), To: e.Prefix.String(), Source: e.Source.String(), Distance: int(e.Distance),
		Metric: e.Metric, Out: ifaceName(spec, e.Out())}
	x.State = stateWord(e)
	x.Why, x.Discards = net.Why(view, e), e.Discard
	if e.Static() == model.None {
		return x
	}
	s := &spec.Statics[e.Static()]
	if s.Origin != model.Learned {
		x.Place = s.Place.String()
	}
	x.Watch, x.WatchFrom, x.watched = address(s.Watch), address(s.WatchFrom), s.Watched()
	switch {
	case s.Discard:
		x.NextHop = "discard"
	case s.Via.IsValid():
		x.NextHop = s.Via.String()
		holders := net.State.HoldersOf(s.Via)
		if len(e.Hops) > 0 && e.Hops[0].Via == s.Via { // of several that have the address, who is there
			if there := net.State.Holders(e.Hops[0].Out, s.Via); len(there) > 0 {
				holders = there
			}
		}
		for _, h := range holders {
			x.Through = spec.Devices[spec.Interfaces[h].Device].Name
		}
	}
	if x.Out == "" && len(e.Hops) > 0 {
		x.Out = ifaceName(spec, e.Hops[0].Out)
	}
	return x
}

// DerivedText writes how many routes are derived, and how many there would be
// with one for each subnet.
func DerivedText(w io.Writer, r derive.Result, of []model.DeviceID, only prefix.Only, summarised bool, basis string) {
	devices, routes, asked := map[model.DeviceID]bool{}, 0, map[model.DeviceID]bool{}
	for _, d := range of {
		asked[d] = true
	}
	for i := range r.Statics {
		if s := &r.Statics[i]; asked[s.Device] && only.Has(prefix.FamilyOf(s.To.Addr())) {
			devices[s.Device] = true
			routes++
		}
	}
	text := fmt.Sprintf("%s derived for %s", Count(routes, "route"), Count(len(devices), "device"))
	if summarised && routes == len(r.Statics) {
		text += fmt.Sprintf("; %d with one for each subnet", r.Single)
	}
	fmt.Fprintln(w, good.Render(text)+faint.Render(" · "+basis))
}

// PricesText writes what each level of protection costs, which destinations cost most, and
// where static routes are too many to keep up by hand.
func PricesText(w io.Writer, r derive.Result, prices []derive.Price, width int) {
	if len(prices) == 0 {
		return
	}
	t := Table{Columns: []Column{{Title: "protect"}, {Title: "lines", Right: true}, {Title: "watches", Right: true},
		{Title: "not protected", Right: true}, {Title: ""}}}
	for _, p := range prices {
		mark := ""
		if p.Wanted {
			mark = "as wanted"
		}
		t.Rows = append(t.Rows, []string{p.Protect.String(), fmt.Sprint(p.Lines), fmt.Sprint(p.Watches), fmt.Sprint(p.Open), mark})
	}
	fmt.Fprintln(w, "\nwhat each level of protection costs:")
	t.Text(w, width, "", false)
	var costly []string
	for _, c := range r.Costliest(mostCostly) {
		costly = append(costly, fmt.Sprintf("%s %s", c.To, Count(c.Lines, "line")))
	}
	if len(costly) > 0 {
		labelled(w, width, "", "most lines: "+strings.Join(costly, ", "), "  ")
	}
	if n := r.MostLines(); n > derive.ManyLines {
		labelled(w, width, "", fmt.Sprintf(
			"one device has %d lines: static routes are the wrong means there, for nobody keeps so many up by hand; a dynamic routing "+
				"protocol does", n), "  ")
	}
}

// mostCostly is how many of the destinations with most lines are named.
const mostCostly = 4

// OpenText writes what no floating route of some devices protects.
func OpenText(w io.Writer, open []verify.Unprotected, devices []string, width int) {
	open = slices.DeleteFunc(slices.Clone(open), func(o verify.Unprotected) bool { return !slices.Contains(devices, o.Device) })
	if len(open) == 0 {
		return
	}
	fmt.Fprintln(w, "\nnot protected against a single failure, though a wire is left:")
	for _, o := range open {
		labelled(w, width, "  ", Clean(fmt.Sprintf("%s: the path to %s is lost when %s fails, because %s", o.Device, o.To, o.Failure,
			o.Because)), "    ")
	}
}
