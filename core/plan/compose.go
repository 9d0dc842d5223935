package plan

import (
	"fmt"
	"net/netip"
	"regexp"
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
	Prefixes []netip.Prefix
	Note     string
}

// Compose writes a new plan.
func Compose(s Start) []byte {
	var b strings.Builder
	fmt.Fprintf(&b, "ropeswing: %d\nplan: %s\n", Version, scalar(s.Name))
	if len(s.Blocks) > 0 {
		fmt.Fprintf(&b, "\nblocks:\n  home: %s\n", prefixList(s.Blocks))
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
		if len(x.Prefixes) > 0 {
			keys = append(keys, "prefix: "+prefixList(x.Prefixes))
		}
		if x.Note != "" {
			keys = append(keys, "note: "+scalar(x.Note))
		}
		fmt.Fprintf(&b, "  %-*s {%s}\n", width+1, scalar(x.Name)+":", strings.Join(keys, ", "))
	}
	b.WriteString("\ndevices:\n")
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
