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
}

// StartSegment is one segment of a new plan; what is empty or 0 is left out.
type StartSegment struct {
	Name     string
	VLAN     string // a number, or auto
	Hosts    int
	Length   int    // of the subnet, instead of hosts
	Site     string // a block of its own for it is taken from the plan's space
	Prefixes []netip.Prefix
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

// Compose writes a new plan.
func Compose(s Start) []byte {
	var b strings.Builder
	fmt.Fprintf(&b, "ropeswing: %d\nplan: %s\n", Version, scalar(s.Name))
	if len(s.Blocks) > 0 {
		fmt.Fprintf(&b, "\nblocks:\n  home: %s\n", prefixList(s.Blocks))
		for _, site := range s.sites() {
			fmt.Fprintf(&b, "  %s: {from: home}\n", scalar(site))
		}
	}
	b.WriteString("\nsegments:\n")
	width := 0
	for _, x := range s.Segments {
		width = max(width, len(scalar(x.Name)))
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
		case x.Site != "":
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
		fmt.Fprintf(&b, "  %-*s {%s}\n", width+1, scalar(x.Name)+":", strings.Join(keys, ", "))
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
