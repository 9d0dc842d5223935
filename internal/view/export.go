package view

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/netip"
	"strconv"
	"strings"
	"text/template"
	"time"

	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// Exported is a device with all that the plan says of it: what 'export json'
// lists, and what a template of the user's own is given, by these same keys. No
// key is ever absent.
type Exported struct {
	Device      string              `json:"device"`
	Is          string              `json:"is"` // router, switch, firewall, host or world
	Note        string              `json:"note"`
	Forwards    bool                `json:"forwards"`  // whether it passes on what is not for itself
	Main        string              `json:"main"`      // the IPv4 address it is known by, "" where it has none
	MainIPv6    string              `json:"main_ipv6"` // likewise
	Gateway     string              `json:"gateway"`   // the next hop of its IPv4 default route, "" where it has none
	Gateway6    string              `json:"gateway_ipv6"`
	Managed     string              `json:"managed"`      // the interface it is managed at, "" where it has no address
	Answers     []string            `json:"answers"`      // the services it answers there
	NameServers []string            `json:"name_servers"` // addresses that it is told to ask
	TimeServers []string            `json:"time_servers"`
	LogServers  []string            `json:"log_servers"`
	Interfaces  []ExportedInterface `json:"interfaces"` // in the order of the plan
	Routes      []ExportedRoute     `json:"routes"`     // static ones, gateways among them
	Tables      []string            `json:"tables"`     // routing tables beside the main one

	Permits      []ExportedPermit      `json:"permits"`                // in the order in which they are asked, those of what passes first
	Otherwise    string                `json:"otherwise"`              // what becomes of what no permit matches: pass, drop or refuse
	KeepsState   bool                  `json:"keeps_state"`            // replies to what passed pass
	SharesState  string                `json:"shares_state,omitempty"` // with whom it has one table of states
	Translations []ExportedTranslation `json:"translations"`
	Leases       []ExportedLease       `json:"leases"` // that it gives
	Beyond       []string              `json:"beyond"` // of the world: every prefix it answers for
}

// ExportedInterface is one interface of an exported device.
type ExportedInterface struct {
	Interface  string             `json:"interface"`
	Kind       string             `json:"kind"` // port, subinterface, VLAN interface or loopback
	Note       string             `json:"note"`
	Admin      string             `json:"admin"`   // up or down
	Parent     string             `json:"parent"`  // of a subinterface
	Tag        int                `json:"tag"`     // of a subinterface or VLAN interface, 0 where there is none
	Segment    string             `json:"segment"` // whose addresses it has, or which an access port serves
	Switched   bool               `json:"switched"`
	Untagged   int                `json:"untagged_vlan"` // of a switch port, 0 where there is none
	Tagged     []int              `json:"tagged_vlans"`  // of a switch port
	MAC        string             `json:"mac"`
	MTU        int                `json:"mtu"`           // bytes, 0 where the plan does not say
	Bandwidth  int                `json:"bandwidth"`     // bits a second, 0 where the plan does not say
	Duplex     string             `json:"duplex"`        // full or half, "" where the plan does not say
	Line       string             `json:"line"`          // ethernet or serial
	Clocks     bool               `json:"clocks"`        // this end of a serial line clocks it
	Cable      string             `json:"cable"`         // that is plugged into it, "" where none is
	FarDevice  string             `json:"far_device"`    // at the other end of it
	FarPort    string             `json:"far_interface"` // and its port
	Borrows    string             `json:"borrows"`       // the interface whose addresses it sends from
	Group      string             `json:"group"`         // the group it is a member of
	Members    []string           `json:"members"`       // of a group
	Table      string             `json:"table"`         // the routing table it is in, "" for the main one
	Leased     bool               `json:"leased"`        // it asks for its address
	Advertised bool               `json:"advertised"`    // it takes its IPv6 address and gateway from a router that advertises
	Negotiates bool               `json:"negotiates"`    // a group agrees with the far end on its members
	Advertises bool               `json:"advertises"`    // it advertises its IPv6 subnets and itself
	Follows    []ExportedFollowed `json:"follows"`       // by whose state the priority of its shared addresses goes
	Relays     []string           `json:"relays"`        // where it passes on what hosts ask for a lease
	Addresses  []ExportedAddress  `json:"addresses"`
}

// ExportedFollowed is an interface, or an address that a route watches, without which the priority of an interface is lower.
type ExportedFollowed struct {
	Interface string `json:"interface,omitempty"`
	Watch     string `json:"watch,omitempty"` // the address, in place of an interface
	By        int    `json:"by"`              // 254 is down to the lowest there is
}

// ExportedAddress is one address of an exported interface.
type ExportedAddress struct {
	Address      string `json:"address"` // without its length
	PrefixLength int    `json:"prefix_length"`
	Family       string `json:"family"`       // ipv4 or ipv6
	Mask         string `json:"mask"`         // IPv4, else ""
	InverseMask  string `json:"inverse_mask"` // IPv4, else ""
	Subnet       string `json:"subnet"`       // with its length
	Secondary    bool   `json:"secondary"`
	Preferred    bool   `json:"preferred"` // what the device sends from by this interface
	LinkLocal    bool   `json:"link_local"`
	Shared       bool   `json:"shared"`     // with other routers (VRRP)
	Priority     int    `json:"priority"`   // of a shared one
	Leased       bool   `json:"leased"`     // asked for: whichever of the range, this one stands for it
	Advertised   bool   `json:"advertised"` // made from what a router advertises; its identifier may be another
}

// ExportedRoute is one static route of an exported device.
type ExportedRoute struct {
	To           string `json:"to"` // the subnet without its length
	PrefixLength int    `json:"prefix_length"`
	Family       string `json:"family"`   // ipv4 or ipv6
	Mask         string `json:"mask"`     // IPv4, else ""
	NextHop      string `json:"next_hop"` // "" where it has none
	Out          string `json:"out"`      // the interface, "" where only the next hop is given
	Discard      bool   `json:"discard"`
	Distance     int    `json:"distance"`
	Metric       int    `json:"metric"`
	Watch        string `json:"watch"`      // usable only while this answers by the next hop; "" where nothing is watched
	WatchFrom    string `json:"watch_from"` // where it is asked from; "" for the address that faces the next hop
	Derived      bool   `json:"derived"`    // not written in the plan
	Table        string `json:"table"`      // "" for the main one
}

// ExportedPlan is a plan as a whole, for a template that makes one text of it.
type ExportedPlan struct {
	Plan     string            `json:"plan"` // its name
	Devices  []Exported        `json:"devices"`
	Segments []ExportedSegment `json:"segments"`
	Cables   []ExportedCable   `json:"cables"`
}

// ExportedSegment is one segment of an exported plan.
type ExportedSegment struct {
	Segment  string   `json:"segment"`
	VLAN     int      `json:"vlan"` // 0 where it has no number
	Prefixes []string `json:"prefixes"`
	Note     string   `json:"note"`
}

// ExportedCable is one cable of an exported plan.
type ExportedCable struct {
	Cable     string `json:"cable"`
	Device    string `json:"device"`
	Interface string `json:"interface"`
	FarDevice string `json:"far_device"`
	FarPort   string `json:"far_interface"`
}

// NewExportedPlan is a plan as a whole in its exported form.
func NewExportedPlan(name string, spec *model.Spec) ExportedPlan {
	all := make([]model.DeviceID, len(spec.Devices))
	for d := range all {
		all[d] = model.DeviceID(d)
	}
	v := ExportedPlan{Plan: name, Devices: NewExported(spec, all), Segments: []ExportedSegment{}, Cables: []ExportedCable{}}
	for i := range spec.Segments {
		s := &spec.Segments[i]
		x := ExportedSegment{Segment: s.Name, VLAN: int(s.VLAN), Prefixes: []string{}, Note: s.Note}
		for _, p := range s.Prefixes {
			x.Prefixes = append(x.Prefixes, p.Prefix.String())
		}
		v.Segments = append(v.Segments, x)
	}
	for _, c := range spec.Cables {
		a, b := &spec.Interfaces[c.Ends[0]], &spec.Interfaces[c.Ends[1]]
		v.Cables = append(v.Cables, ExportedCable{c.Name, spec.Devices[a.Device].Name, a.Name, spec.Devices[b.Device].Name, b.Name})
	}
	return v
}

// NewExported is the devices in their exported form.
func NewExported(spec *model.Spec, devices []model.DeviceID) []Exported {
	all := []Exported{}
	for _, d := range devices {
		device := &spec.Devices[d]
		x := Exported{
			Device: device.Name, Is: device.Kind.String(), Note: device.Note, Forwards: device.Forwards,
			Main: address(spec.MainAddress(d, prefix.IPv4)), MainIPv6: address(spec.MainAddress(d, prefix.IPv6)),
			Interfaces: []ExportedInterface{}, Routes: []ExportedRoute{},
			NameServers: serversOf(device, model.NameServers), TimeServers: serversOf(device, model.TimeServers),
			LogServers: serversOf(device, model.LogServers),
		}
		for _, id := range spec.InterfacesOf(d) {
			x.Interfaces = append(x.Interfaces, exportedInterface(spec, id))
		}
		x.exportCables(spec, d)
		first, last := spec.StaticsOf(d)
		for _, s := range spec.Statics[first:last] {
			r := ExportedRoute{
				To: s.To.Addr().String(), PrefixLength: s.To.Bits(), Family: familyOf(prefix.FamilyOf(s.To.Addr())), Mask: maskOf(prefix.Mask(s.To),
					prefix.FamilyOf(s.To.Addr())),
				NextHop: address(s.Via), Discard: s.Discard, Distance: int(s.Distance), Metric: int(s.Metric), Table: s.Table,
				Watch: address(s.Watch), WatchFrom: address(s.WatchFrom), Derived: s.Origin == model.Derived,
			}
			if s.Out != model.None {
				r.Out = spec.Interfaces[s.Out].Name
			}
			switch {
			case s.To.Bits() > 0 || s.Table != "":
			case s.To.Addr().Is4() && x.Gateway == "":
				x.Gateway = r.NextHop
			case s.To.Addr().Is6() && x.Gateway6 == "":
				x.Gateway6 = r.NextHop
			}
			x.Routes = append(x.Routes, r)
		}
		x.exportPolicy(spec, d)
		all = append(all, x)
	}
	return all
}

// serversOf are the addresses of the servers of a kind that a device is told.
func serversOf(d *model.Device, kind model.ServerKind) []string {
	all := []string{}
	for _, s := range d.Servers[kind] {
		all = append(all, s.String())
	}
	return all
}

// exportCables says of each interface what is plugged into it.
func (x *Exported) exportCables(spec *model.Spec, d model.DeviceID) {
	at := map[string]*ExportedInterface{}
	for i := range x.Interfaces {
		at[x.Interfaces[i].Interface] = &x.Interfaces[i]
	}
	for _, c := range spec.Cables {
		for n, end := range c.Ends {
			if i := &spec.Interfaces[end]; i.Device == d && at[i.Name] != nil {
				far := &spec.Interfaces[c.Ends[1-n]]
				own := at[i.Name]
				own.Cable, own.FarDevice, own.FarPort = c.Name, spec.Devices[far.Device].Name, far.Name
			}
		}
	}
}

func exportedInterface(spec *model.Spec, id model.InterfaceID) ExportedInterface {
	i := &spec.Interfaces[id]
	x := ExportedInterface{
		Interface: i.Name, Kind: i.Kind.String(), Note: i.Note, Admin: "up", Tag: int(i.Tag), Switched: i.Switched,
		Untagged: int(i.Untagged), Tagged: []int{}, MAC: i.MAC, Addresses: []ExportedAddress{},
	}
	if i.AdminDown {
		x.Admin = "down"
	}
	if i.Parent != model.None {
		x.Parent = spec.Interfaces[i.Parent].Name
	}
	if i.Segment != model.None {
		x.Segment = spec.Segments[i.Segment].Name
	}
	for _, v := range i.Tagged {
		x.Tagged = append(x.Tagged, int(v))
	}
	x.Duplex = i.Duplex
	x.MTU, x.Bandwidth, x.Line, x.Clocks, x.Table, x.Members = i.MTU, int(i.Bandwidth), "ethernet", i.Clocks, i.Table, []string{}
	if i.Serial {
		x.Line = "serial"
	}
	if i.Borrow != model.None {
		x.Borrows = spec.Interfaces[i.Borrow].Name
	}
	if i.Group != model.None {
		x.Group = spec.Interfaces[i.Group].Name
	}
	for _, m := range i.Members {
		x.Members = append(x.Members, spec.Interfaces[m].Name)
	}
	x.Leased, x.Advertised, x.Advertises, x.Negotiates, x.Relays = i.Leased, i.Advertised, i.Advertises, i.Negotiates, []string{}
	x.Follows = []ExportedFollowed{}
	for _, f := range i.Follows {
		followed := ExportedFollowed{By: int(f.By)}
		if f.Watch.IsValid() {
			followed.Watch = f.Watch.String()
		} else {
			followed.Interface = spec.Interfaces[f.Interface].Name
		}
		x.Follows = append(x.Follows, followed)
	}
	for _, r := range i.Relay {
		x.Relays = append(x.Relays, address(r.To))
	}
	for _, a := range i.Addresses {
		x.Addresses = append(x.Addresses, exportedAddress(i, a))
	}
	return x
}

func exportedAddress(i *model.Interface, a model.Address) ExportedAddress {
	family := prefix.FamilyOf(a.Addr())
	x := ExportedAddress{
		Address: a.Addr().String(), PrefixLength: a.Bits(), Family: familyOf(family), Mask: maskOf(prefix.Mask(a.Prefix),
			family), InverseMask: maskOf(prefix.InverseMask(a.Prefix), family),
		Subnet: a.Masked().String(), Secondary: a.Secondary && !a.Virtual, Preferred: a.Preferred, LinkLocal: a.Addr().IsLinkLocalUnicast(),
		Shared: a.Virtual,
		Leased: a.Rule == model.LeasedRule, Advertised: a.Rule == model.AdvertisedRule,
	}
	if a.Virtual {
		x.Priority = int(i.Priority)
	}
	return x
}

// has reports whether a gateway is used from the address: it lies in its subnet, or is link-local.
func (a ExportedAddress) has(gateway string) bool {
	to, err := netip.ParseAddr(gateway)
	subnet, err2 := netip.ParsePrefix(a.Subnet)
	return err == nil && err2 == nil && (subnet.Contains(to.WithZone("")) || to.IsLinkLocalUnicast() && !a.LinkLocal)
}

// given is how sure an address is: leased and likely ones may be others; "" where the plan fixes it.
func (a ExportedAddress) given() string {
	switch {
	case a.Leased:
		return "leased"
	case a.Advertised:
		return "likely"
	}
	return ""
}

// what is said of an address beside itself.
func (a ExportedAddress) what() string {
	var parts []string
	if a.Shared {
		parts = append(parts, fmt.Sprintf("shared, priority %d", a.Priority))
	}
	if a.Secondary {
		parts = append(parts, "secondary")
	}
	if a.LinkLocal {
		parts = append(parts, "link-local")
	}
	if a.Preferred {
		parts = append(parts, "sends from it")
	}
	if a.Leased {
		parts = append(parts, "leased")
	}
	if a.Advertised {
		parts = append(parts, "as advertised")
	}
	return strings.Join(parts, ", ")
}

func familyOf(family prefix.Family) string {
	if family == prefix.IPv4 {
		return "ipv4"
	}
	return "ipv6"
}

func maskOf(m fmt.Stringer, family prefix.Family) string {
	if family == prefix.IPv4 {
		return m.String()
	}
	return ""
}

// ExportedTable is every address of the devices, a row each.
func ExportedTable(all []Exported) Table {
	t := Table{Columns: []Column{
		{Key: "device", Title: "device"}, {Key: "is", Title: "is"}, {Key: "interface", Title: "interface"}, {Key: "kind", Title: "kind",
			Wide: true}, {Key: "segment", Title: "segment"},
		{Key: "tag", Title: "tag", Wide: true}, {Key: "address", Title: "address"}, {Key: "prefix_length", Title: "length"}, {Key: "mask",
			Title: "mask"}, {Key: "subnet", Title: "subnet", Wide: true},
		{Key: "gateway", Title: "gateway", Wide: true}, {Key: "mac", Title: "MAC", Wide: true}, {Key: "note", Title: "note", Wide: true},
		{Key: "given", Title: "given", Wide: true},
	}, Empty: "the plan has no addresses"}
	for _, d := range all {
		for _, i := range d.Interfaces {
			for _, a := range i.Addresses {
				gateway := d.Gateway
				if a.Family == "ipv6" {
					gateway = d.Gateway6
				}
				if !a.has(gateway) {
					gateway = "" // it is by another of the device's subnets
				}
				tag := ""
				if i.Tag > 0 {
					tag = strconv.Itoa(i.Tag)
				}
				t.Rows = append(t.Rows, []string{d.Device, d.Is, i.Interface, i.Kind, i.Segment, tag, a.Address, strconv.Itoa(a.PrefixLength),
					a.Mask, a.Subnet, gateway, i.MAC, i.Note, a.given()})
			}
		}
	}
	return t
}

// TextTemplate is a template of the user's own (text/template), given one
// Exported by its JSON keys.
type TextTemplate struct{ parsed *template.Template }

// NewTextTemplate reads a template; name is what its errors call it.
func NewTextTemplate(name, text string) (*TextTemplate, error) {
	functions := template.FuncMap{
		"join": func(separator string, all []any) string {
			words := make([]string, len(all))
			for i, x := range all {
				words[i] = fmt.Sprint(x)
			}
			return strings.Join(words, separator)
		},
		"lower": strings.ToLower, "upper": strings.ToUpper,
		"replace": func(from, to, text string) string { return strings.ReplaceAll(text, from, to) },
	}
	t, err := template.New(name).Funcs(functions).Option("missingkey=error").Parse(text)
	if err != nil {
		return nil, fmt.Errorf("%s", strings.TrimPrefix(err.Error(), "template: "))
	}
	return &TextTemplate{t}, nil
}

// Fill is the template's text for one device, of what is put into JSON for it.
func (t *TextTemplate) Fill(device string, x any) ([]byte, error) {
	raw, err := json.Marshal(x)
	if err != nil {
		return nil, err
	}
	decoder := json.NewDecoder(bytes.NewReader(raw))
	decoder.UseNumber()
	var data any
	if err := decoder.Decode(&data); err != nil {
		return nil, err
	}
	// It runs beside, for nothing stops a template that goes on for ever but the end of
	// the program.
	b, done := &limited{}, make(chan error, 1)
	go func() { done <- t.parsed.Execute(b, whole(data)) }()
	select {
	case err = <-done:
	case <-time.After(longestFill):
		err = fmt.Errorf("it takes longer than %s", longestFill)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %s", device, strings.TrimPrefix(err.Error(), "template: "))
	}
	return b.Bytes(), nil
}

// What a template may take for one device.
const (
	longestFill = 10 * time.Second
	largestFill = 64 << 20 // bytes
)

// limited is a text that grows only so far.
type limited struct{ bytes.Buffer }

func (l *limited) Write(p []byte) (int, error) {
	if l.Len()+len(p) > largestFill {
		return 0, fmt.Errorf("it makes more than %d MB", largestFill>>20)
	}
	return l.Buffer.Write(p)
}

// whole turns JSON's numbers, which are all whole here, into ones a template
// can compare.
func whole(v any) any {
	switch v := v.(type) {
	case map[string]any:
		for k := range v {
			v[k] = whole(v[k])
		}
	case []any:
		for i := range v {
			v[i] = whole(v[i])
		}
	case json.Number:
		n, _ := strconv.Atoi(v.String()) // it came from an int
		return n
	}
	return v
}

// Raw writes text of several lines, every one of them made fit for a terminal;
// tabs stay.
func Raw(w io.Writer, text []byte) {
	for line := range strings.Lines(string(text)) {
		body, end := strings.TrimSuffix(line, "\n"), ""
		if body != line {
			end = "\n"
		}
		for i, part := range strings.Split(strings.TrimSuffix(body, "\r"), "\t") {
			if i > 0 {
				io.WriteString(w, "\t")
			}
			io.WriteString(w, Clean(part))
		}
		io.WriteString(w, end)
	}
}

// FileText says what becomes of a file.
func FileText(w io.Writer, name, state string) {
	fmt.Fprintf(w, "  %-10s %s\n", state, Clean(name))
}
