package plan

import (
	"fmt"
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
)

// Start is what a new plan begins with.
type Start struct {
	Name     string
	Blocks   []netip.Prefix
	Segments []StartSegment
	Devices  []StartDevice
	Cables   []StartCable // between them
	Routers  bool         // a router at each site, links between them, and a host at each: it pings already
}

// StartSegment is one segment of a new plan; what is empty or 0 is left out.
type StartSegment struct {
	Name     string
	VLAN     string // a number, or auto
	Hosts    int
	Length   int    // of the subnet, instead of hosts
	Site     string // a block of its own for it is taken from the plan's space
	Prefixes []netip.Prefix
	Gateway  netip.Addr // the router's address there; invalid for the first
	Note     string
}

// sites lists the sites of the segments, in their order.
func (s Start) sites() []string {
	var all []string
	for _, x := range s.Segments {
		if x.Site != "" && !slices.Contains(all, x.Site) {
			all = append(all, x.Site)
		}
	}
	return all
}

// hasBlock tells whether a site has a block of its own: where some segment of it has no subnet yet.
func (s Start) hasBlock(site string) bool {
	return slices.ContainsFunc(s.Segments, func(x StartSegment) bool { return x.Site == site && len(x.Prefixes) == 0 })
}

// Compose writes a new plan.
func Compose(s Start) []byte {
	var b strings.Builder
	fmt.Fprintf(&b, "ropeswing: %d\nplan: %s\n", Version, scalar(s.Name))
	n := s.network()
	var v *inventory
	if len(s.Devices) > 0 {
		s.Segments = slices.Clone(s.Segments)
		v = s.inventory()
		n.operator = v.operator()
		for _, l := range v.links {
			n.links = append(n.links, startLink{l})
		}
	}
	if n.operator != "" {
		fmt.Fprintf(&b, "operator: %s   # the host you sit at\n", scalar(n.operator))
	}
	if len(n.links) > 0 || v != nil && slices.ContainsFunc(v.units, (*startUnit).forwards) {
		b.WriteString("wants: {}            # routes are derived, so that all LANs reach each other\n")
	}
	if len(n.hosts) > 1 {
		fmt.Fprintf(&b, "must:                # 'ropeswing check' proves it\n  - everyone reaches %s\n", n.operator)
	}
	if len(s.Blocks) > 0 {
		fmt.Fprintf(&b, "\nblocks:\n  home: %s\n", prefixList(s.Blocks))
		for _, site := range s.sites() {
			if s.hasBlock(site) {
				fmt.Fprintf(&b, "  %s: {from: home}\n", scalar(site))
			}
		}
	}
	var devices strings.Builder
	switch {
	case v != nil:
		v.compose(&devices)
	case len(n.routers) > 0:
		devices.WriteString("\ndevices:\n")
		n.compose(&devices)
	}
	b.WriteString("\nsegments:\n")
	width := 0
	for _, x := range s.Segments {
		width = max(width, len(scalar(x.Name)))
	}
	for _, l := range n.links {
		width = max(width, len(l.name))
	}
	for _, x := range s.Segments {
		var keys []string
		if x.VLAN != "" {
			keys = append(keys, "vlan: "+x.VLAN)
		}
		if x.Hosts > 0 {
			keys = append(keys, fmt.Sprintf("hosts: %d", x.Hosts))
		}
		if x.Length > 0 {
			keys = append(keys, fmt.Sprintf("length: %d", x.Length))
		}
		switch {
		case x.Site != "" && s.hasBlock(x.Site):
			keys = append(keys, "from: "+scalar(x.Site))
		case len(s.sites()) > 0 && len(x.Prefixes) == 0:
			keys = append(keys, "from: home")
		}
		if len(x.Prefixes) > 0 {
			keys = append(keys, "prefix: "+prefixList(x.Prefixes))
		}
		if x.Note != "" {
			keys = append(keys, "note: "+scalar(x.Note))
		}
		remark := ""
		if a := x.Gateway; a.IsValid() && !hasWord(devices.String(), address(a)) {
			remark = fmt.Sprintf("   # its gateway is to be %s, which no device has yet", a)
		}
		fmt.Fprintf(&b, "  %-*s {%s}%s\n", width+1, scalar(x.Name)+":", strings.Join(keys, ", "), remark)
	}
	for _, l := range n.links {
		from := ""
		if len(s.sites()) > 0 {
			from = ", from: home"
		}
		fmt.Fprintf(&b, "  %-*s {point-to-point: true%s}\n", width+1, l.name+":", from)
	}
	if devices.Len() > 0 {
		return []byte(b.String() + devices.String())
	}
	b.WriteString("\ndevices: # add routers and switches before 'ropeswing assign -w': their addresses count on top of the hosts\n")
	example := "SEGMENT"
	if len(s.Segments) > 0 {
		example = s.Segments[0].Name
	}
	fmt.Fprintf(&b, "  # edge: {is: router, loopback: true, interfaces: {lan0: {segment: %s}}}\n", scalar(example))
	fmt.Fprintf(&b, "  # desk: {is: host, interfaces: {port: {segment: %s, address: 10}}}\n", scalar(example))
	return []byte(b.String())
}

// hasWord tells whether a text has a word, which ends there.
func hasWord(text, word string) bool {
	return slices.ContainsFunc([]string{",", "}", "]", "\n"}, func(end string) bool { return strings.Contains(text, word+end) })
}

// startNetwork is the devices of a new plan.
type startNetwork struct {
	routers  []startRouter
	links    []startLink // from the first router to each other
	hosts    [][2]string // name and segment
	operator string
}

type startRouter struct {
	name, site string
	from       string // the block of its loopback
	segments   []string
	links      []string
	addresses  map[string]netip.Addr // by segment, where it is said
}

type startLink struct{ name string }

// network works out the devices of a new plan: a router at each site, and links from the first to
// each other.
func (s Start) network() *startNetwork {
	n := &startNetwork{}
	if !s.Routers {
		return n
	}
	used := map[string]bool{"home": true}
	for _, x := range s.Segments {
		used[x.Name], used[x.Site] = true, true
	}
	free := func(name string) string {
		for base, i := name, 2; used[name]; i++ {
			name = fmt.Sprintf("%s-%d", base, i)
		}
		used[name] = true
		return name
	}
	sites := s.sites()
	if len(sites) == 0 {
		sites = []string{""}
	}
	for i, site := range sites {
		r := startRouter{name: free(strings.TrimPrefix(site+"-rtr", "-")), site: site, addresses: map[string]netip.Addr{}}
		if s.hasBlock(site) && site != "" {
			r.from = site
		} else if len(s.sites()) > 0 {
			r.from = "home"
		}
		lan := ""
		for _, x := range s.Segments {
			if x.Site != site && (x.Site != "" || i > 0) || x.Length >= 30 && x.Length <= 32 || x.Length >= 126 {
				continue // another site's, or a link whose ends are not known
			}
			r.segments = append(r.segments, x.Name)
			r.addresses[x.Name] = x.Gateway
			if lan == "" && (x.Length == 0 || x.Length < 29) && len(x.Prefixes) == 0 {
				lan = x.Name
			}
		}
		if lan != "" {
			name := "laptop"
			if n.operator != "" {
				name = site + "-host"
			}
			name = free(name)
			if n.operator == "" {
				n.operator = name
			}
			n.hosts = append(n.hosts, [2]string{name, lan})
		}
		n.routers = append(n.routers, r)
	}
	if len(sites) == 1 && len(n.routers[0].segments) > 1 && n.operator != "" {
		if last := n.routers[0].segments[len(n.routers[0].segments)-1]; last != n.hosts[0][1] {
			n.hosts = append(n.hosts, [2]string{free(last + "-host"), last})
		}
	}
	for i := 1; i < len(n.routers); i++ {
		link := free("link-" + n.routers[i].site)
		n.links = append(n.links, startLink{link})
		n.routers[0].links, n.routers[i].links = append(n.routers[0].links, link), append(n.routers[i].links, link)
	}
	return n
}

func (n *startNetwork) compose(b *strings.Builder) {
	for _, r := range n.routers {
		fmt.Fprintf(b, "  %s:\n    is: router\n    loopback: true\n", scalar(r.name))
		if r.from != "" {
			fmt.Fprintf(b, "    from: %s\n", scalar(r.from))
		}
		b.WriteString("    interfaces:\n")
		for i, x := range r.segments {
			address := "first"
			if a := r.addresses[x]; a.IsValid() {
				if address = a.String(); a.Is6() {
					address = strconv.Quote(address)
				}
			}
			fmt.Fprintf(b, "      lan%d: {segment: %s, address: %s}\n", i, scalar(x), address)
		}
		for i, x := range r.links {
			fmt.Fprintf(b, "      link%d: {segment: %s}\n", i, scalar(x))
		}
	}
	for _, h := range n.hosts {
		fmt.Fprintf(b, "  %s: {is: host, interfaces: {port: {segment: %s, address: last}}}\n", scalar(h[0]), scalar(h[1]))
	}
}

func prefixList(all []netip.Prefix) string {
	words := make([]string, len(all))
	for i, p := range all {
		words[i] = p.String()
		if p.Addr().Is6() {
			words[i] = strconv.Quote(words[i])
		}
	}
	if len(words) == 1 {
		return words[0]
	}
	return "[" + strings.Join(words, ", ") + "]"
}

// plainScalar is what YAML takes for a word whatever it stands in: it is no
// number, no truth, and has no sign of YAML's in it.
var plainScalar = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^[A-Za-z][A-Za-z0-9 ._/()-]*$`) })

// scalar is a text as YAML, in quotes where it needs them.
func scalar(text string) string {
	switch strings.ToLower(text) {
	case "true", "false", "yes", "no", "on", "off", "null", "y", "n":
		return strconv.Quote(text)
	}
	if plainScalar().MatchString(text) && text == strings.TrimSpace(text) {
		return text
	}
	return strconv.Quote(text)
}
