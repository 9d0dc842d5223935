package main

import (
	"encoding/csv"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/explain"
	"ropeswing/demo"
)

func TestThePlanIsFoundHereAboveOrByName(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	require.NoError(t, os.Mkdir(filepath.Join(dir, "below"), 0o755))
	for about, r := range map[string]result{
		"here":              run(t, dir, "check"),
		"in a folder above": run(t, filepath.Join(dir, "below"), "check"),
		"by -p":             run(t, t.TempDir(), "check", "-p", filepath.Join(dir, demo.Plan)),
		"by environment":    runWith(t, t.TempDir(), []string{"ROPESWING_PLAN=" + filepath.Join(dir, demo.Plan)}, "check"),
	} {
		assert.Equal(t, 0, r.Code, "%s: %s", about, r.Err)
		assert.Equal(t, "Skerry Lights: nothing wrong · predicted from the plan", first(r.Out), about)
	}
	write(t, dir, "second.plan.yaml", "ropeswing: 1\n")
	r := run(t, dir, "check")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "several plans")
	r = run(t, t.TempDir(), "ping", "x")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "ropeswing demo")
}

func TestBareIsHealthBesideAPlanElseHelp(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir)
	assert.Equal(t, 0, r.Code)
	assert.Equal(t, 5, strings.Count(r.Out, "\n"), r.Out)
	assert.Contains(t, r.Out, "nothing wrong")

	r = run(t, filepath.Join(dir, "bad-morning"))
	assert.Equal(t, 1, r.Code)
	assert.Equal(t, 5, strings.Count(r.Out, "\n"), r.Out)
	assert.Contains(t, r.Out, "7 errors")
	assert.Contains(t, r.Out, "next: ropeswing check")

	write(t, dir, demo.Plan, "ropeswing: 1\nsegmnets: {}\n")
	r = run(t, dir)
	assert.Equal(t, 2, r.Code)
	assert.Equal(t, "skerry.plan.yaml cannot be used: 1 error\nskerry.plan.yaml:2:1: the plan has no key segmnets (unknown-key)\nnext: "+
		"ropeswing check\n", r.Out)

	r = run(t, t.TempDir())
	assert.Equal(t, 0, r.Code)
	for _, command := range []string{"subnet", "split", "merge", "fit", "beside", "new", "assign", "rename", "export", "show", "why", "check",
		"ping", "trace", "reach", "draft", "pin", "observe", "compare", "here", "demo", "version", "completion"} {
		assert.Contains(t, r.Out, "\n  "+command+" ")
	}
	assert.LessOrEqual(t, strings.Count(r.Out, "\n"), 52, "the help is one screen")
	for _, line := range strings.Split(r.Out, "\n") {
		assert.LessOrEqual(t, len(line), 80, line)
	}
}

func TestPingSaysFirstWhetherItWorks(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "ping", "tern-cam")
	assert.Equal(t, 0, r.Code)
	assert.Equal(t, "ops-laptop reaches tern-cam in IPv4 and IPv6 · predicted from the plan", first(r.Out))
	for _, hop := range []string{"quay-core", "quay-edge", "mole-rtr", "tern-rock"} {
		assert.Equal(t, 2, strings.Count(r.Out, hop), "%s on both ways", hop)
	}
	r = run(t, dir, "ping", "desk-7", "192.0.2.9", "-4")
	assert.Equal(t, 0, r.Code, r.Out)
	r = run(t, dir, "ping", "quay-edge:wan0", "2001:db8:5ea:300::2")
	assert.Equal(t, 0, r.Code, r.Out)
}

func TestPingThatFailsSaysWhyAndWhatMendsIt(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "-p", demo.BadMorning, "ping", "tern-cam")
	assert.Equal(t, 1, r.Code)
	assert.Equal(t, "ops-laptop does not reach tern-cam in IPv4 or IPv6 · predicted from the plan", first(r.Out))
	for _, part := range []string{
		"on the forward path, its TTL runs out in a loop between quay-edge and", "(forwarding-loop)",
		"(tried: it works)", "-      tern: quay-edge\n", "+      tern: tern-rock\n",
		"next    ropeswing -p bad-morning/skerry.plan.yaml show routes mole-rtr\n",
	} {
		assert.Contains(t, r.Out, part)
	}

	// The remedy as printed, done by hand.
	file := filepath.Join(dir, demo.BadMorning)
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	write(t, dir, demo.BadMorning, strings.Replace(string(text), "      tern: quay-edge\n", "      tern: tern-rock\n", 1))
	assert.Equal(t, 0, run(t, dir, "-p", demo.BadMorning, "ping", "tern-cam").Code)
}

func TestTheCommandToTypeNextCanBeTyped(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	for _, to := range []string{"tern-cam", "desk-7", "mole-sw", "2001:db8:ffff::9"} {
		r := run(t, dir, "-p", demo.BadMorning, "ping", to, "-o", "json")
		require.Equal(t, 1, r.Code)
		var p struct{ Next string }
		require.NoError(t, json.Unmarshal([]byte(r.Out), &p))
		words := strings.Fields(p.Next)
		require.Equal(t, "ropeswing", words[0])
		assert.Equal(t, 0, run(t, dir, words[1:]...).Code, p.Next)
	}
}

func TestPingInJSONIsAGraph(t *testing.T) {
	t.Parallel()
	r := run(t, lights(t), "ping", "tern-cam", "-o", "json")
	var p struct {
		Verdict, Basis string
		Families       []struct {
			Family, Source, Target string
			Forward                struct {
				Nodes []struct {
					ID                  int
					Device, In, Matched string
				}
				Edges []struct {
					From    int
					To      *int
					Out     string
					NextHop string `json:"next_hop"`
				}
				Ends []struct{ Outcome string }
			}
			Return []json.RawMessage
		}
	}
	require.NoError(t, json.Unmarshal([]byte(r.Out), &p))
	assert.Equal(t, "works", p.Verdict)
	assert.Equal(t, "predicted from the plan", p.Basis)
	require.Len(t, p.Families, 2)
	f := p.Families[0]
	assert.Equal(t, []string{"ipv4", "10.48.1.106", "10.48.3.2"}, []string{f.Family, f.Source, f.Target})
	require.Len(t, f.Forward.Nodes, 6)
	require.Len(t, f.Forward.Edges, 5)
	for i, e := range f.Forward.Edges {
		assert.Equal(t, i, e.From)
		require.NotNil(t, e.To)
		assert.Equal(t, i+1, *e.To)
	}
	assert.Equal(t, "10.48.1.97", f.Forward.Edges[0].NextHop)
	assert.Equal(t, "delivered", f.Forward.Ends[0].Outcome)
	assert.Len(t, f.Return, 1)
}

func TestTraceListsWhatTracerouteSees(t *testing.T) {
	t.Parallel()
	r := run(t, lights(t), "trace", "tern-cam", "-4", "-o", "csv")
	assert.Equal(t, 0, r.Code)
	rows, err := csv.NewReader(strings.NewReader(r.Out)).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, [][]string{
		{"family", "ttl", "address", "device", "in", "answer"},
		{"ipv4", "1", "10.48.1.97", "quay-core", "vlan190", "time exceeded"},
		{"ipv4", "2", "10.48.0.0", "quay-edge", "lan0", "time exceeded"},
		{"ipv4", "3", "10.48.0.3", "mole-rtr", "beam0", "time exceeded"},
		{"ipv4", "4", "10.48.0.5", "tern-rock", "beam0", "time exceeded"},
		{"ipv4", "5", "10.48.3.2", "tern-cam", "port", "reply"},
	}, rows)

	r = run(t, lights(t), "-p", demo.BadMorning, "trace", "tern-cam")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, first(r.Out), "a loop between quay-edge and mole-rtr in IPv4 and IPv6")
	assert.Contains(t, r.Out, "next    ropeswing -p bad-morning/skerry.plan.yaml ping ops-laptop tern-cam\n")
}

func TestTheNextCommandIsOfTheSameFamily(t *testing.T) {
	t.Parallel()
	r := run(t, lights(t), "-p", demo.BadMorning, "trace", "tern-cam", "-6", "--without", "fibre")
	assert.Contains(t, r.Out, "next    ropeswing -p bad-morning/skerry.plan.yaml ping ops-laptop tern-cam --without fibre -6\n")
}

func TestWithout(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "ping", "tern-cam", "--without", "beam-a")
	assert.Equal(t, 0, r.Code, "the floating routes take over")
	assert.Contains(t, first(r.Out), "without beam-a")
	assert.Contains(t, r.Out, "gull-point")
	r = run(t, dir, "ping", "tern-cam", "--without", "beam-a", "--without", "beam-c")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, r.Out, "--without beam-a --without beam-c\n")
	assert.Contains(t, first(run(t, dir, "ping", "tern-cam", "--without", "beam-a,desk-(7..7)").Out), "without beam-a and desk-7",
		"a pattern, as in the plan")
	r = run(t, dir, "ping", "tern-cam", "--without", "desk-(7..1)")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "desk-(7..1) is no pattern")
	assert.Contains(t, run(t, dir, "show", "interfaces", "quay-edge", "--without", "beam-a", "--only", "why").Out, "the cable beam-a is down")
	assert.Contains(t, run(t, dir, "show", "routes", "quay-edge", "--without", "beam-a", "--only", "why").Out,
		"beam0 is down: the cable beam-a is down")
	assert.Contains(t, run(t, dir, "show", "routes", "quay-edge", "--without", "beam-b", "--only", "why").Out,
		"what it watches, 10.48.0.5, does not answer out of beam0")
	r = run(t, dir, "ping", "tern-cam", "--without", "bean-a")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "did you mean beam-a?")
}

func TestShowInEveryFormat(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	for _, thing := range []string{"devices", "segments", "interfaces", "routes", "hosts", "addresses", "blocks"} {
		for _, name := range []string{thing, strings.TrimSuffix(strings.Replace(thing, "addresses", "address ", 1), "s")} {
			r := run(t, dir, "show", strings.TrimSpace(name)) // in the singular too
			assert.Equal(t, 0, r.Code, name)
			for _, line := range strings.Split(r.Out, "\n") {
				assert.LessOrEqual(t, len([]rune(line)), 80, "%s: %s", name, line)
			}
		}
		var rows []map[string]any
		require.NoError(t, json.Unmarshal([]byte(run(t, dir, "show", thing, "-o", "json").Out), &rows), thing)
		assert.NotEmpty(t, rows)
		csvRows, err := csv.NewReader(strings.NewReader(run(t, dir, "show", thing, "-o", "csv").Out)).ReadAll()
		require.NoError(t, err, thing)
		assert.Greater(t, len(csvRows), 5)
		assert.True(t, strings.HasPrefix(run(t, dir, "show", thing, "-o", "markdown").Out, "| "), thing)
	}
	r := run(t, dir, "show", "routes", "mole-rtr", "-6")
	assert.NotContains(t, r.Out, "10.48.")
	assert.Contains(t, r.Out, "2001:db8:5ea:f1::")
	assert.Equal(t, "quay-manage\nquay-link\nbeam-mole\nbeam-quay\nfibre\nsatellite\n",
		run(t, dir, "show", "segments", "quay-edge", "--only", "segment").Out)
	assert.Equal(t, "host\n", run(t, dir, "show", "device", "desk-7", "--only", "is").Out)
	r = run(t, dir, "show", "devices", "--only", "device")
	assert.Equal(t, "quay-edge", first(r.Out))
}

func TestShowHostsMarksTheOddOnes(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	assert.Equal(t, "", run(t, dir, "show", "hosts", "-o", "csv", "--only", "nothing").Out)
	r := run(t, dir, "show", "hosts", "-p", demo.BadMorning, "-o", "json")
	var hosts []struct {
		Host, Mask, Gateway string
		Odd                 []string
	}
	require.NoError(t, json.Unmarshal([]byte(r.Out), &hosts))
	require.Len(t, hosts, 11)
	for _, h := range hosts {
		if h.Host == "pilot-desk" {
			assert.Equal(t, []string{"its mask is not the segment's, 255.255.255.224"}, h.Odd)
		} else {
			assert.Empty(t, h.Odd, h.Host)
		}
	}
	write(t, dir, "odd.yaml", `ropeswing: 1
segments: {s: {prefix: [10.0.0.0/24, "2001:db8::/64"]}}
devices:
  r: {is: router, interfaces: {e: {segment: s, address: 1}}}
  a: {is: host, interfaces: {p: {segment: s, address: 5}}}
  b: {is: host, interfaces: {p: {segment: s, address: 6}}}
  c: {is: host, interfaces: {p: {segment: s, address: 10.0.0.7}}, gateway: 10.0.0.9}
`)
	odd := run(t, dir, "show", "hosts", "-p", "odd.yaml").Out
	assert.Contains(t, odd, "its gateway is 10.0.0.9, most on s have 10.0.0.1")
	assert.Contains(t, odd, "it has no IPv6 address")
	assert.Equal(t, 1, strings.Count(odd, "most on s have 10.0.0.1"))
}

func TestShowBlocksDrawsWhatLiesWhere(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "b.plan.yaml", `ropeswing: 1
blocks: {home: 10.0.0.0/24}
segments: {a: {prefix: 10.0.0.0/26}, b: {prefix: 10.0.0.128/27}}
devices: {r: {is: router, loopback: 10.0.0.255}}
`)
	out := run(t, dir, "show", "blocks").Out
	// 64 + 32 + 1 of 256; each mark of the strip is four addresses.
	assert.Equal(t, "home 10.0.0.0/24 37.8 % in use, room left: 159", first(out))
	assert.Contains(t, out, "  "+strings.Repeat("█", 16)+strings.Repeat("·", 16)+strings.Repeat("█", 8)+strings.Repeat("·", 23)+"▄\n")
	assert.Equal(t, []string{
		"10.0.0.0/26 64 a", "10.0.0.64 10.0.0.127 64 free", "10.0.0.128/27 32 b", "10.0.0.160 10.0.0.254 95 free", "10.0.0.255/32 1 r:loopback",
	}, squeezed(strings.Split(strings.TrimSpace(out), "\n")[3:]))
}

// IPv6 is counted in subnets of length 64.
func TestShowBlocksInIPv6(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "b.plan.yaml", `ropeswing: 1
blocks: {home: "2001:db8:5ea::/60", other: 10.0.0.0/8}
segments: {a: {prefix: "2001:db8:5ea:2::/64"}, l: {prefix: "2001:db8:5ea:8::/127"}}
`)
	out := run(t, dir, "show", "blocks", "home").Out
	assert.Equal(t, []string{
		"2001:db8:5ea::/64 2001:db8:5ea:1::/64 2 free", "2001:db8:5ea:2::/64 1 a", "2001:db8:5ea:3::/64 2001:db8:5ea:7::/64 5 free",
		"2001:db8:5ea:8::/127 l", "2001:db8:5ea:9::/64 2001:db8:5ea:f::/64 7 free",
	}, squeezed(strings.Split(strings.TrimSpace(out), "\n")[3:]))
	r := run(t, dir, "show", "blocks", "hoem")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "did you mean home?")
}

// squeezed makes one space of many.
func squeezed(lines []string) []string {
	for i := range lines {
		lines[i] = strings.Join(strings.Fields(lines[i]), " ")
	}
	return lines
}

func TestSubnet(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	r := run(t, dir, "subnet", "10.48.1.77", "255.255.255.224", "-o", "json")
	require.Equal(t, 0, r.Code, r.Err)
	var got map[string]any
	require.NoError(t, json.Unmarshal([]byte(r.Out), &got))
	assert.Equal(t, map[string]any{
		"address": "10.48.1.77", "family": "ipv4", "prefix": "10.48.1.64/27", "prefix_length": 27.0, "mask": "255.255.255.224",
		"inverse_mask": "0.0.0.31",
		"first":        "10.48.1.65", "last": "10.48.1.94", "broadcast": "10.48.1.95", "addresses": "32", "usable": "30", "position": "13",
		"previous": "10.48.1.32/27", "next": "10.48.1.96/27", "parent": "10.48.1.64/26", "scope": "private use (RFC 1918)",
		"reverse_zones": []any{"64/27.1.48.10.in-addr.arpa"},
	}, got)
	for _, tt := range []struct{ args, want string }{
		{"10.48.1.77/27 --only broadcast", "10.48.1.95\n"},
		{"10.48.1.77 --len 27 --only prefix", "10.48.1.64/27\n"},
		{"10.48.1.77/255.255.255.0 --only last", "10.48.1.254\n"},
		{"10.1.0.0/24 10.2.0.0 255.255.0.0 --only prefix_length", "24\n16\n"},
		{"2001:db8::1/64 --only usable", "18446744073709551487\n"},
	} {
		assert.Equal(t, tt.want, run(t, dir, append([]string{"subnet"}, strings.Fields(tt.args)...)...).Out, tt.args)
	}
	assert.Contains(t, run(t, dir, "subnet", "10.48.1.77/27").Out, "13th usable of 30")
	assert.Contains(t, run(t, dir, "subnet", "10.48.1.77/27", "--explain").Out, "00001010.00110000.00000001.010|01101")
}

func TestWhy(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	r := run(t, dir, "why", "duplicate-address")
	assert.Equal(t, 0, r.Code)
	assert.Contains(t, r.Out, "Two interfaces have the same address.")
	assert.Contains(t, r.Out, "    devices:\n")
	assert.Greater(t, strings.Count(run(t, dir, "why").Out, "\n"), 40)
}

// What the glossary says to run runs in the demo, and words of the trade need no quotes.
func TestTheGlossarysCommandsRun(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	seen := map[string]bool{"": true}
	for _, term := range explain.Glossary() {
		if seen[term.Command] {
			continue
		}
		seen[term.Command] = true
		r := run(t, dir, strings.Fields(term.Command)...)
		assert.LessOrEqual(t, r.Code, 1, "%s: %s", term.Command, r.Err)
		assert.NotEmpty(t, r.Out, term.Command)
	}
	assert.Greater(t, len(seen), 25)
	assert.Contains(t, run(t, dir, "why", "gateway", "of", "last", "resort").Out, "ropeswing show routes quay-core")
	assert.Contains(t, run(t, dir, "why", "path", "MTU", "discovery").Out, "PMTUD")
	r := run(t, dir, "why", "gateway", "of", "last", "resrot")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "did you mean 'gateway of last resort'?")
}

func TestCheckExitCodes(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "warn.plan.yaml", "ropeswing: 1\nsegments: {s: {prefix: 10.0.0.0/24}}\ndevices: {r: {is: router, interfaces: {e: "+
		"{segment: s, address: 1, admin: down}}}}\n")
	assert.Equal(t, 0, run(t, dir, "check").Code, "a warning is no error")
	assert.Equal(t, 1, run(t, dir, "check", "--fail-on", "warning").Code)
	assert.Equal(t, 2, run(t, dir, "check", "--fail-on", "nonsense").Code)

	r := run(t, lights(t), "check", "-p", demo.BadMorning, "-o", "json")
	assert.Equal(t, 1, r.Code)
	var v struct {
		Errors   int
		Usable   bool
		Findings []struct {
			Name, File   string
			Line, Column int
		}
	}
	require.NoError(t, json.Unmarshal([]byte(r.Out), &v))
	assert.Equal(t, 7, v.Errors)
	assert.True(t, v.Usable)
	assert.Equal(t, "next-hop-sends-back", v.Findings[0].Name, "what mends the most comes first")
	assert.Equal(t, demo.BadMorning, v.Findings[0].File)
	assert.Positive(t, v.Findings[0].Line)

	assert.Contains(t, run(t, lights(t), "check", "-p", demo.BadMorning, "--explain").Out, "can talk to its neighbours only")
}

func TestDemoWritesShowsAndNeverOverwrites(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	r := run(t, dir, "demo")
	require.Equal(t, 0, r.Code, r.Err)
	for _, part := range []string{
		"$ ropeswing check\n", "$ ropeswing show devices\n", "$ ropeswing ping tern-cam\n", "$ ropeswing trace tern-cam\n",
		"reaches tern-cam in IPv4 and IPv6", "does not reach tern-cam", "(tried: it works)",
	} {
		assert.Contains(t, r.Out, part)
	}
	assert.Empty(t, r.Err)
	plan := filepath.Join(dir, "skerry-lights", demo.Plan)
	require.FileExists(t, plan)
	require.NoError(t, os.WriteFile(plan, []byte("mine"), 0o644))

	r = run(t, dir, "demo")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "left alone")
	text, err := os.ReadFile(plan)
	require.NoError(t, err)
	assert.Equal(t, "mine", string(text))
	place := filepath.Join(dir, "skerry-lights")
	assert.FileExists(t, filepath.Join(place, demo.BadMorning))
	assert.Equal(t, 2, run(t, dir, "demo", "--dir", "skerry-lights").Code)
}

// What the guide shows is tried here, so that nobody copies a slip from it.
func TestTheGuidesPlanWorks(t *testing.T) {
	t.Parallel()
	text, err := os.ReadFile("../../docs/guide/plan.md")
	require.NoError(t, err)
	blocks := strings.Split(string(text), "```yaml\n")
	require.Len(t, blocks, 4)
	for i := range blocks {
		blocks[i], _, _ = strings.Cut(blocks[i], "```")
	}
	dir := t.TempDir()
	write(t, dir, "a.plan.yaml", blocks[1])
	assert.Equal(t, 0, run(t, dir, "check").Code)
	assert.Equal(t, 0, run(t, dir, "ping", "buoy").Code)

	// The second part goes on in the first: a switch and cables.
	write(t, dir, "a.plan.yaml", blocks[1]+blocks[2])
	r := run(t, dir, "check")
	assert.Equal(t, 0, r.Code, r.Out+r.Err)
	assert.Equal(t, 0, run(t, dir, "ping", "crane-4", "buoy").Code)
	assert.Contains(t, run(t, dir, "show", "interfaces", "crane-sw", "--only", "why").Out, "administratively down")

	// And the third: which servers devices ask.
	write(t, dir, "a.plan.yaml", blocks[1]+blocks[2]+blocks[3])
	assert.NotContains(t, run(t, dir, "check").Out, "does not reach")
	card := run(t, dir, "show", "card", "crane-sw").Out
	assert.Contains(t, card, "asks for names 10.20.1.10, 10.20.2.61\nasks for the time 10.20.1.1\nsends logs to 10.20.1.10\n")
	r = run(t, dir, "check", "--with", "crane-sw: name-servers: 10.20.9.53")
	assert.Contains(t, oneLine(r.Out), "crane-sw does not reach 10.20.9.53, which it is told under name-servers, over udp/53")
}

func TestCompletionKnowsThePlan(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	tests := []struct {
		line string
		want []string
	}{
		{"ping ", []string{"tern-cam", "quay-edge:wan0", "log-server"}},
		{"ping desk-7 quay-edge:", []string{"quay-edge:beam0", "quay-edge:loopback"}},
		{"show routes ", []string{"mole-rtr"}},
		{"show ", []string{"devices", "segments", "interfaces", "routes"}},
		{"ping x --without ", []string{"beam-a", "quay-staff", "mole-rtr"}},
		{"why ", []string{"duplicate-address"}},
		{"check -o ", []string{"json"}},
	}
	for _, tt := range tests {
		words := strings.Split(tt.line, " ")
		r := run(t, dir, append([]string{"__complete"}, words...)...)
		for _, w := range tt.want {
			assert.Contains(t, "\n"+r.Out, "\n"+w, tt.line)
		}
	}
	for _, shell := range []string{"bash", "zsh", "fish"} {
		r := run(t, dir, "completion", shell)
		assert.Equal(t, 0, r.Code)
		assert.Greater(t, len(r.Out), 500, shell)
	}
}

func TestColourIsForTerminalsAndCanBeForced(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	cmd := exec.Command(program, "ping", "tern-cam")
	cmd.Dir = dir
	cmd.Env = []string{"TERM=xterm-256color", "CLICOLOR_FORCE=1"}
	out, err := cmd.Output()
	require.NoError(t, err)
	assert.NotContains(t, runWith(t, dir, []string{"CLICOLOR_FORCE=1", "NO_COLOR=1"}, "ping", "tern-cam").Out, "\x1b",
		"NO_COLOR has the last word")
	assert.Contains(t, string(out), "\x1b[", "the looks are there; without a terminal the writer drops them, as every other test here sees")
}

func TestVersion(t *testing.T) {
	t.Parallel()
	r := run(t, t.TempDir(), "version")
	assert.Equal(t, 0, r.Code)
	assert.Regexp(t, `^ropeswing \d+\.\d+\.\d+ \(go1\.`, r.Out)
}

// BenchmarkProcess is a whole run of the program, from start to end.
func BenchmarkProcess(b *testing.B) {
	for b.Loop() {
		if err := exec.Command(program, "subnet", "10.48.1.64/26").Run(); err != nil {
			b.Fatal(err)
		}
	}
}

// BenchmarkEmptyProcess is what the process of an empty Go program takes, for
// comparison.
func BenchmarkEmptyProcess(b *testing.B) {
	dir := b.TempDir()
	write(b, dir, "main.go", "package main\n\nfunc main() {}\n")
	empty := filepath.Join(dir, "empty")
	build := exec.Command("go", "build", "-o", empty, filepath.Join(dir, "main.go"))
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		b.Fatal(string(out))
	}
	for b.Loop() {
		if err := exec.Command(empty).Run(); err != nil {
			b.Fatal(err)
		}
	}
}
