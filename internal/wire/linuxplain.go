package wire

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"ropeswing/core/observed"
)

// The lists that Linux's ip prints without -j: interfaces with their addresses, routes, neighbours.

// linuxHeading is the first line of an interface: its number, its name, whose it is, its flags, and more.
var linuxHeading = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^\d+: ([^@\s]+?)(@\S+)?: <([A-Z0-9_,-]*)> (.*)$`)
})

// linuxKinds are the words that a line of a route may begin with.
var linuxKinds = []string{"unicast", "blackhole", "unreachable", "prohibit", "throw", "local", "broadcast", "multicast", "anycast"}

// linuxStates are the words that a line of a neighbour ends with.
var linuxStates = []string{"REACHABLE", "STALE", "DELAY", "PROBE", "FAILED", "INCOMPLETE", "PERMANENT", "NOARP", "NONE"}

// Of a route: the words that have a value behind them, and those that have none.
var (
	linuxValued = []string{"via", "dev", "proto", "metric", "table", "scope", "src", "weight", "pref", "mtu", "advmss", "hoplimit", "expires",
		"error", "nhid", "realm", "initcwnd", "initrwnd", "window", "rtt", "rttvar", "rto_min", "cwnd", "ssthresh", "from", "quickack", "congctl",
		"age", "used", "users"}
	linuxFlags = []string{"linkdown", "dead", "onlink", "offload", "offload_failed", "pervasive", "trap", "rt_offload", "rt_trap", "unresolved", "cache"}
)

// isLinuxPlain tells whether a text begins as such a list does.
func isLinuxPlain(head string) bool {
	first, rest, _ := strings.Cut(head, "\n")
	first = strings.TrimRight(first, " \r")
	if linuxHeading().MatchString(first) {
		return true
	}
	words := strings.Fields(first)
	switch {
	case len(words) > 1 && slices.Contains(linuxKinds[1:], words[0]):
		words = words[1:]
	case strings.HasPrefix(rest, "\tnexthop "):
	case len(words) < 3 || words[1] != "dev" && words[1] != "via":
		return false
	}
	_, err := linuxDestination(words[0], false)
	return err == nil
}

// linuxText reads plain lists, one behind the other. What a line says that is not known is told, and what it is of is doubted.
func (r *Reading) linuxText(d *observed.Device, text string, six bool) {
	p := &linuxLines{Reading: r, d: d, six: six}
	for n, line := range strings.Split(text, "\n") {
		p.at = n + 1
		line = strings.TrimRight(line, " \r")
		switch m := linuxHeading().FindStringSubmatch(line); {
		case line == "":
		case m != nil:
			p.flush()
			p.link = &linuxLink{Name: m[1], Flags: strings.Split(m[3], ","), Parent: strings.TrimPrefix(m[2], "@")}
			p.heading(strings.Fields(m[4]))
		case line[0] == ' ' || line[0] == '\t':
			p.below(strings.Fields(line), line)
		default:
			p.flush()
			p.line(strings.Fields(line), line)
		}
	}
	p.flush()
}

type linuxLines struct {
	*Reading
	d     *observed.Device
	at    int // the line
	six   bool
	link  *linuxLink // that is being read
	route *linuxRoute
}

// flush takes in what was read so far.
func (p *linuxLines) flush() {
	if p.link != nil {
		p.linuxLink(p.d, p.link, true)
	}
	if p.route != nil {
		if err := linuxRoutes(p.d, p.route); err != nil {
			p.lost(p.route.To, err.Error(), observed.Routes4, observed.Routes6, observed.Standby)
		}
	}
	p.link, p.route = nil, nil
}

// lost notes what was not understood, and that it is doubted.
func (p *linuxLines) lost(text, why string, parts ...observed.Part) {
	p.d.Doubt(parts...)
	p.unread(p.at, text, "%s", why)
}

func (p *linuxLines) heading(words []string) {
	for i := 0; i+1 < len(words); i += 2 {
		switch words[i] {
		case "mtu":
			p.link.MTU, _ = strconv.Atoi(words[i+1])
		case "state":
			p.link.Oper = words[i+1]
		case "master":
			p.link.Master = words[i+1]
		}
	}
}

// below is a line that belongs to the one before.
func (p *linuxLines) below(words []string, line string) {
	switch {
	case p.route != nil && words[0] == "nexthop":
		p.hop(words[1:], line)
	case p.link == nil:
		p.lost(line, "it belongs to no interface and no route", observed.Parts...)
	case strings.HasPrefix(words[0], "link/"):
		p.link.Type = strings.TrimPrefix(words[0], "link/")
		if len(words) > 1 {
			p.link.MAC = words[1]
		}
	case words[0] == "alias":
		p.link.Alias = strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(line), "alias"))
	case words[0] == "inet" || words[0] == "inet6":
		p.address(words, line)
	}
	// What else is told of an interface (valid_lft, altname, promiscuity …) has no place in a plan.
}

func (p *linuxLines) address(words []string, line string) {
	text, length, ok := strings.Cut(words[min(1, len(words)-1)], "/")
	bits, err := strconv.Atoi(length)
	if i := slices.Index(words, "peer"); !ok && i > 0 && i+1 < len(words) { // the length is of the far end, that is the subnet
		_, length, _ = strings.Cut(words[i+1], "/")
		bits, err = strconv.Atoi(length)
	}
	if err != nil {
		p.lost(line, "no address with its length", observed.Addresses4, observed.Addresses6)
		return
	}
	p.link.Addresses = append(p.link.Addresses, linuxAddress{Local: text, Length: bits, Dynamic: slices.Contains(words, "dynamic"),
		Secondary: slices.Contains(words, "secondary")})
}

// line is a route or a neighbour.
func (p *linuxLines) line(words []string, line string) {
	if last := words[len(words)-1]; len(words) > 3 && words[1] == "dev" && slices.Contains(linuxStates, last) {
		n := &linuxRoute{To: words[0], Dev: words[2], State: []string{last}}
		if i := slices.Index(words, "lladdr"); i > 0 && i+1 < len(words) {
			n.MAC = words[i+1]
		}
		if err := linuxNeighbour(p.d, n); err != nil {
			p.lost(line, err.Error(), observed.Neighbours)
		}
		return
	}
	p.route = &linuxRoute{six: p.six}
	if slices.Contains(linuxKinds, words[0]) && len(words) > 1 {
		p.route.Type, words = words[0], words[1:]
	}
	p.route.To = words[0]
	if _, err := linuxDestination(words[0], p.six); err != nil {
		p.lost(line, "it is neither an interface, a route nor a neighbour", observed.Parts...)
		p.route = nil
		return
	}
	if i := slices.Index(words, "nexthop"); i > 0 { // all in one line
		p.keys(words[1:i], line, &linuxHop{})
		for rest := words[i:]; len(rest) > 0; {
			end := slices.Index(rest[1:], "nexthop") + 1
			if end == 0 {
				end = len(rest)
			}
			p.hop(rest[1:end], line)
			rest = rest[end:]
		}
		return
	}
	var h linuxHop
	p.keys(words[1:], line, &h)
	p.route.NextHop, p.route.Dev, p.route.Flags = h.NextHop, h.Dev, h.Flags
}

func (p *linuxLines) hop(words []string, line string) {
	var h linuxHop
	p.keys(words, line, &h)
	p.route.Hops = append(p.route.Hops, h)
}

// keys reads what stands behind a destination.
func (p *linuxLines) keys(words []string, line string, h *linuxHop) {
	for i := 0; i < len(words); i++ {
		switch {
		case slices.Contains(linuxFlags, words[i]):
			h.Flags = append(h.Flags, words[i])
			continue
		case !slices.Contains(linuxValued, words[i]) || i+1 == len(words):
			p.lost(line, "what '"+words[i]+"' says is not known", observed.Routes4, observed.Routes6, observed.Standby)
			return
		}
		key := words[i]
		if i++; (words[i] == "inet" || words[i] == "inet6" || words[i] == "lock") && i+1 < len(words) {
			i++
		}
		switch value := words[i]; key {
		case "via":
			h.NextHop = value
		case "dev":
			h.Dev = value
		case "pref":
			p.route.six = true // only routes of IPv6 have one (RFC 4191)
		case "proto":
			p.route.Protocol = value
		case "metric":
			if m, err := strconv.Atoi(value); err == nil {
				p.route.Metric = &m
			}
		case "table":
			p.route.Table = value
		}
	}
}
