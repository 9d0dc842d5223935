package guidetest

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// ferry is a line with two piers, a link between them and a carrier at the first.
const ferry = `ropeswing: 1
plan: Ferry line
operator: mate
blocks: {line: [10.60.0.0/16, "2001:db8:60::/48"]}
segments:
  deck:   {vlan: 30, prefix: [10.60.1.0/25, "2001:db8:60:1::/64"], leases: {range: 50..99, by: purser}}
  bridge: {vlan: 31, prefix: [10.60.1.128/26, "2001:db8:60:2::/64"]}
  pier:   {prefix: [10.60.2.0/26, "2001:db8:60:3::/64"]}
  strait: {prefix: [10.60.0.0/31, "2001:db8:60::/127"]}
  harbour: {prefix: 198.51.100.8/29}
devices:
  north:
    is: router
    loopback: [10.60.9.1, "2001:db8:60:9::1"]
    interfaces:
      lan: {}
      lan.30: {segment: deck, address: first, relay: purser}
      lan.31: {segment: bridge, address: first}
      wan: {segment: harbour, address: 2}
      gap: {segment: strait, address: first}
    translates: [line shares wan]
    routes:
      pier: south
      10.60.9.2/32: south
      "2001:db8:60:9::2/128": south
      default: tide
  south:
    is: router
    loopback: [10.60.9.2, "2001:db8:60:9::2"]
    interfaces: {lan: {segment: pier, address: first}, gap: {segment: strait, address: last}}
    routes: {default: north}
  rail:
    is: switch
    interfaces:
      up: {tagged: [deck, bridge]}
      d1..d4: {access: deck}
      b1..b4: {access: bridge}
      mgmt: {vlan: bridge, address: 20}
  tide:   {is: world, beyond: 192.0.2.0/24, interfaces: {e: {segment: harbour, address: 1}}}
  mate:   {is: host, at: "rail:b1", address: 10}
  purser: {is: host, at: "rail:b2", address: 11}
  guest:  {is: host, at: "rail:d1", address: leased}
  winch:  {is: host, at: "south:lan", address: 9}
cables:
  - north:lan to rail:up
  - strait-line: north:gap to south:gap
  - north:wan to tide:e
must:
  - everyone reaches winch
  - mate reaches 192.0.2.7
`

// slipped is the ferry's plan with one slip in it.
func slipped(t *testing.T, old, new string) string {
	t.Helper()
	require.Contains(t, ferry, old)
	return strings.Replace(ferry, old, new, 1)
}

// typed types the lines of a remedy into a plan, as they are printed: '-' out, '+' in.
func typed(t *testing.T, text, printed string) string {
	t.Helper()
	for _, g := range regexp.MustCompile(`(?m)^ +\S+\.yaml:(\d+)\n((?: +[-+].*\n)+)`).FindAllStringSubmatch(printed, -1) {
		at := 0
		fmt.Sscan(g[1], &at)
		lines := strings.Split(text, "\n")
		var out, in []string
		for line := range strings.Lines(g[2]) {
			line = strings.TrimSuffix(strings.TrimLeft(line, " "), "\n")
			if line[0] == '-' {
				out = append(out, line[1:])
			} else {
				in = append(in, line[1:])
			}
		}
		require.Equal(t, out, append([]string(nil), lines[at-1:at-1+len(out)]...), printed)
		text = strings.Join(append(append(append([]string(nil), lines[:at-1]...), in...), lines[at-1+len(out):]...), "\n")
	}
	return text
}

// Jobs of the guide, with a line of ferries of one's own, slips included.
func TestJobsOfTheGuide(t *testing.T) {
	t.Parallel()
	in := func(text string) string {
		dir := t.TempDir()
		write(t, dir, "ferry.plan.yaml", text)
		return dir
	}
	t.Run("1 subnets for a need", func(t *testing.T) {
		r := run(t, t.TempDir(), "fit", "10.60.1.0/25", "deck:90", "bridge:40")
		assert.Equal(t, 1, r.Code)
		assert.Contains(t, oneLine(r.Out), "bridge")
		assert.Equal(t, 0, run(t, t.TempDir(), "fit", "10.60.1.0/24", "deck:90", "bridge:40").Code)
	})
	t.Run("2 a plan, from a spreadsheet", func(t *testing.T) {
		dir := t.TempDir()
		write(t, dir, "need.csv", "name,hosts\ndeck,90\nbridge,40\n")
		require.Equal(t, 0, run(t, dir, "new", "ferry", "--block", "10.60.0.0/16", "--from", "need.csv", "-w").Code)
		assert.Equal(t, 0, run(t, dir, "check").Code)
		assert.Contains(t, run(t, dir, "show", "segments", "--match", "deck").Out, "10.60.")
	})
	t.Run("3 numbers that stay", func(t *testing.T) {
		dir := t.TempDir()
		plan := "ropeswing: 1\nblocks: {line: 10.60.0.0/22}\nsegments:\n  deck: {hosts: 90}\n  bridge: {hosts: 40}\n"
		write(t, dir, "ferry.plan.yaml", plan)
		require.Equal(t, 0, run(t, dir, "assign", "-w").Code)
		before := run(t, dir, "show", "segments", "-o", "csv").Out
		write(t, dir, "ferry.plan.yaml", strings.Replace(plan, "  deck:", "  hold: {hosts: 200}\n  deck:", 1))
		assert.Equal(t, 1, run(t, dir, "assign", "--check").Code)
		require.Equal(t, 0, run(t, dir, "assign", "-w").Code)
		after := run(t, dir, "show", "segments", "-o", "csv").Out
		for _, line := range strings.Split(strings.TrimSpace(before), "\n")[1:] {
			assert.Contains(t, after, strings.Join(strings.Split(line, ",")[:3], ","), "what was given stays")
		}
	})
	t.Run("4 leases through a relay", func(t *testing.T) {
		assert.Equal(t, 0, run(t, in(ferry), "check", "--fail-on", "error").Code)
		r := run(t, in(slipped(t, ", relay: purser", "")), "check")
		assert.Equal(t, 1, r.Code)
		assert.Contains(t, oneLine(r.Out),
			"purser gives the leases of deck, is not on it, and no router there relays to it (lease-out-of-reach)")
		assert.Contains(t, r.Out, "add 'relay: purser' to north:lan.30")
		assert.Contains(t, oneLine(run(t, in(ferry), "show", "card", "purser").Out),
			"Leases it gives for from to mask gateway deck 10.60.1.50 10.60.1.99 255.255.255.128 10.60.1.1")
	})
	t.Run("5 a VLAN that is missing", func(t *testing.T) {
		text := slipped(t, "up: {tagged: [deck, bridge]}", "up: {tagged: [bridge]}")
		r := run(t, in(text), "ping", "guest", "winch", "-4")
		assert.Equal(t, 1, r.Code)
		assert.Contains(t, oneLine(r.Out), "let rail:up carry VLAN 30 (deck) tagged (tried: it works)")
		assert.Equal(t, 0, run(t, in(typed(t, text, r.Out)), "ping", "guest", "winch", "-4").Code)
		assert.Contains(t, run(t, in(text), "show", "vlans", "--match", "deck").Out, "rail")
	})
	t.Run("6 routes that are derived", func(t *testing.T) {
		text := regexp.MustCompile(`(?ms)^    routes:\n.*?^  south`).ReplaceAllString(ferry, "  south")
		text = strings.Replace(strings.Replace(text, "    routes: {default: north}\n", "", 1), "operator:", "wants: {}\noperator:", 1)
		dir := in(text)
		assert.Equal(t, 0, run(t, dir, "ping", "guest", "winch").Code)
		out := oneLine(run(t, dir, "show", "routes", "--derived", "south").Out)
		assert.Contains(t, out, "south 0.0.0.0/0 10.60.0.0 north gap derived 1 in use")
		assert.NotContains(t, out, "north 0.0.0.0/0")
		assert.Contains(t, run(t, dir, "why", "south", "192.0.2.7").Out, "0.0.0.0/0")
	})
	t.Run("7 why a ping fails", func(t *testing.T) {
		for _, slip := range [][3]string{
			{"gap: {segment: strait, address: last}", "gap: {segment: strait, address: last, admin: down}", "bring up south:gap"},
			{"address: 9}", "address: 10.60.2.63/26}", "give winch:port the address 10.60.2.2/26 instead of 10.60.2.63/26"},
			{"address: 9}", "address: 10.60.2.9/24}", "give winch:port the address 10.60.2.9/26 instead of 10.60.2.9/24"},
			{"pier: south", "10.60.20.0/26: south", "on north write the route to 10.60.20.0/26 for 10.60.2.0/26 instead"},
			{"winch:  {is: host, ", "winch:  {is: host, gateway: 10.60.2.61, ", "give winch the gateway 10.60.2.1 (south) instead of 10.60.2.61"},
		} {
			text := slipped(t, slip[0], slip[1])
			r := run(t, in(text), "ping", "mate", "winch", "-4")
			if slip[1] == "address: 10.60.2.9/24}" { // it works all the same: check tells of it
				assert.Contains(t, oneLine(run(t, in(text), "check").Out), slip[2])
				continue
			}
			assert.Equal(t, 1, r.Code, slip[1])
			assert.Contains(t, oneLine(r.Out), slip[2])
			assert.Equal(t, 0, run(t, in(typed(t, text, r.Out)), "ping", "mate", "winch", "-4").Code, r.Out)
		}
	})
	t.Run("8 permits and translation", func(t *testing.T) {
		text := slipped(t, "    translates: [line shares wan]\n",
			"    translates: [deck shares wan]\n    otherwise: drop\n    keeps-state: true\n    permits: [everyone may reach anyone over tcp]\n")
		r := run(t, in(text), "ping", "mate", "192.0.2.7", "-4")
		assert.Equal(t, 1, r.Code)
		assert.Contains(t, oneLine(r.Out), "let north pass 'mate may reach 192.0.2.7 over icmp'")
		assert.Contains(t, oneLine(r.Out), "on north translate 'mate shares wan' (tried: it works)")
		out := run(t, in(ferry), "show", "translations").Out
		assert.Contains(t, out, "nobody has, beyond: 198.51.100.11..198.51.100.14")
	})
	t.Run("9 what a failure takes", func(t *testing.T) {
		r := run(t, in(strings.Replace(ferry, "  - mate reaches 192.0.2.7\n", "  - mate reaches winch without any one cable\n", 1)), "check")
		assert.Equal(t, 1, r.Code)
		assert.Contains(t, oneLine(r.Out), "without north:lan to rail:up: mate (10.60.1.138) to winch")
		assert.Equal(t, 0, run(t, in(ferry), "reach", "--from", "deck", "--to", "pier", "--lost").Code)
		assert.Equal(t, 1, run(t, in(ferry), "reach", "--from", "deck", "--to", "pier", "--lost", "--without", "strait-line").Code)
	})
	t.Run("10 what is really there", func(t *testing.T) {
		dir := in(ferry)
		write(t, dir, "piers.txt", "== south\nPort  State  Number\nlan   lit    10.60.2.1/26\ngap   dark   unassigned\n")
		write(t, dir, "piers.map.yaml", "ropeswing-map: 1\ndevice: '^== (?P<name>\\S+)$'\ntables:\n  - heading: [Port, State, Number]\n    "+
			"fields: {interface: Port, oper: State, address: Number}\n    words: {oper: {lit: up, dark: down}}\n    known: [addresses4]\n")
		require.Equal(t, 0, run(t, dir, "observe", "piers.txt", "-w", "observed").Code)
		r := run(t, dir, "compare")
		assert.Equal(t, 1, r.Code)
		out := oneLine(r.Out)
		for _, want := range []string{"south address gap missing 10.60.0.1/31", "south oper status gap different up down", "loopback missing",
			"breaks: mate cannot reach winch", "not known: IPv4 routes, IPv6 addresses, IPv6 routes of south"} {
			assert.Contains(t, out, want)
		}
		assert.Contains(t, first(run(t, dir, "compare", "--progress").Out), "0 of 7 devices done; next: mate")
		assert.Equal(t, 1, run(t, dir, "check", "--observed", "observed").Code)
	})
	t.Run("11 in CI", func(t *testing.T) {
		text := slipped(t, "  - mate reaches 192.0.2.7\n", "  - guest does not reach purser\n")
		r := run(t, in(text), "check", "-o", "sarif")
		assert.Equal(t, 1, r.Code)
		assert.Contains(t, r.Out, "requirement-unmet")
		accepted := strings.Replace(text,
			"must:", "accept: [{finding: requirement-unmet, of: guest does not reach purser, because: until the firewall is there, until: "+
				"2999-01-01}]\nmust:", 1)
		assert.Equal(t, 0, run(t, in(accepted), "check").Code)
		assert.Contains(t, first(run(t, in(accepted), "check").Out), "1 accepted")
	})
	t.Run("12 elsewhere", func(t *testing.T) {
		dir := in(ferry)
		write(t, dir, "line.txt.tmpl", "{{.device}}{{range .translations}} {{.beyond}}={{index .outside 0}}{{end}}{{range .interfaces}}{{if "+
			".relays}} {{.interface}}>{{join \",\" .relays}}{{end}}{{end}}\n")
		assert.Equal(t, "north wan=198.51.100.10/32 lan.30>10.60.1.139\n", run(t, dir, "export", "template", "line.txt.tmpl", "north").Out)
		require.Equal(t, 0, run(t, dir, "export", "template", "line.txt.tmpl", "--to", "out", "-w").Code)
		_, err := os.Stat(filepath.Join(dir, "out", "south.txt"))
		assert.NoError(t, err)
	})
}

// What people type is understood, or leads to what they mean.
func TestWordsOfTheTradeLeadThere(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	for line, want := range map[string]string{
		"show addresses 10.48.1.74":       "log-server",
		"show segments quay-staff":        "10.48.1.0/26",
		"show interfaces quay-sw1 p7":     "quay-staff 110",
		"show vlan 191":                   "mole-manage",
		"show routes quay-edge:beam0":     "beam0",
		"fit 10.1.0.0/24 50 50 20":        "50 hosts (2)",
		"show failures":                   "that is 'ropeswing reach --failures 1'",
		"show port quay-sw1:p7":           "desk-7",
		"vlans":                           "that is 'ropeswing show vlans'",
		"arp":                             "that is 'ropeswing show neighbours'",
		"diff":                            "that is 'ropeswing compare'",
		"subnet 10.1.2.3 255.255.255.0.0": "is not a mask",
		"show segments quay-staff 191":    "one thing in them",
		"show devices qay-edge":           "did you mean quay-edge?",
	} {
		r := run(t, dir, strings.Fields(line)...)
		assert.Contains(t, r.Out+r.Err, want, line)
	}
}
