package main

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/forward"
	"ropeswing/core/frames"
	"ropeswing/core/model"
	"ropeswing/core/network"
	"ropeswing/core/routing"
	"ropeswing/core/workspace"
	"ropeswing/demo"
	"ropeswing/internal/wire"
)

// badMorning is the network of the demo with its five faults: a port left down, a mask
// mistyped, a next hop pointing the wrong way, a way back forgotten, a VLAN missing on
// a trunk.
func badMorning(t *testing.T) *forward.Network {
	w := workspace.Open(demo.Files(), demo.Plan, demo.Plan).Predict()
	spec := w.Spec
	iface := func(device, name string) model.InterfaceID {
		d, _ := spec.DeviceNamed(device)
		i, ok := spec.InterfaceNamed(d, name)
		require.True(t, ok, device+":"+name)
		return i
	}
	changed := *spec
	changed.Interfaces, changed.Statics = slices.Clone(spec.Interfaces), slices.Clone(spec.Statics)
	changed.Interfaces[iface("quay-sw1", "p7")].AdminDown = true
	desk := &changed.Interfaces[iface("pilot-desk", "port")]
	desk.Addresses = slices.Clone(desk.Addresses)
	desk.Addresses[0].Prefix = netip.PrefixFrom(desk.Addresses[0].Addr(), 24)
	trunk := &changed.Interfaces[iface("mole-sw", "p24")]
	trunk.Tagged = slices.DeleteFunc(slices.Clone(trunk.Tagged), func(v model.VLAN) bool { return v == 191 })
	mole, _ := spec.DeviceNamed("mole-rtr")
	gull, _ := spec.DeviceNamed("gull-point")
	kept := changed.Statics[:0]
	for _, s := range changed.Statics {
		switch {
		case s.Device == mole && s.To == netip.MustParsePrefix("10.48.3.0/24") && s.Distance == 1:
			s.Watch = netip.Addr{}
			s.Via, s.Out = netip.MustParseAddr("10.48.0.2"), iface("mole-rtr", "beam0") // quay-edge, which sends it here
		case s.Device == mole && s.To == netip.MustParsePrefix("10.48.3.0/24"):
			continue
		case s.Device == gull && s.To.Bits() == 0 && s.To.Addr().Is4():
			continue
		}
		kept = append(kept, s)
	}
	changed.Statics = kept
	changed.Wants = nil
	return forward.Resolve(network.Build(&changed).State())
}

// said is what the devices say, in the four paths in which the harbour collects it.
func said(t *testing.T, net *forward.Network) map[string][]byte {
	files := map[string][]byte{}
	spec := net.Spec
	for _, name := range []string{"quay-edge", "tern-rock", "far-skerry"} {
		d, _ := spec.DeviceNamed(name)
		text, err := wire.Models(net, d, false)
		require.NoError(t, err)
		files[name+".json"] = text
	}
	for _, name := range []string{"quay-core", "gull-point"} {
		d, _ := spec.DeviceNamed(name)
		text, err := wire.Models(net, d, true)
		require.NoError(t, err)
		files[name+".xml"] = text
	}
	for _, name := range []string{"mole-rtr", "mole-spare", "ops-laptop", "desk-7", "pilot-desk", "log-server"} {
		d, _ := spec.DeviceNamed(name)
		addresses, routes := linuxLists(t, net, d)
		if files[name+".addr.json"] = addresses; string(routes) != "null\n" { // a list of nothing does not say of what
			files[name+".route.json"] = routes
		}
	}
	var csv bytes.Buffer
	csv.WriteString("device,interface,admin,oper,untagged,tagged\n")
	for _, name := range []string{"quay-sw1", "mole-sw"} {
		d, _ := spec.DeviceNamed(name)
		for _, id := range spec.InterfacesOf(d) {
			i := &spec.Interfaces[id]
			words := map[bool]string{true: "up", false: "down"}
			var tagged []string
			for _, v := range i.Tagged {
				tagged = append(tagged, fmt.Sprint(v))
			}
			untagged := ""
			if i.Switched {
				untagged = fmt.Sprint(i.Untagged)
			}
			fmt.Fprintf(&csv, "%s,%s,%s,%s,%s,%s\n", name, i.Name, words[!i.AdminDown], words[net.State.IsUp(id)], untagged,
				strings.Join(tagged, " "))
		}
	}
	files["switches.csv"] = csv.Bytes()
	files["lamps.txt"] = lampList(net)
	return files
}

// lampList is the list that the lamps and cameras print of themselves: invented, as is
// all of the harbour.
func lampList(net *forward.Network) []byte {
	spec := net.Spec
	var b strings.Builder
	b.WriteString("Harbour lamp bus, morning round\n\n")
	for _, name := range []string{"tern-cam", "tern-lamp", "gull-cam", "gull-lamp", "far-cam", "far-lamp"} {
		d, _ := spec.DeviceNamed(name)
		id := spec.InterfacesOf(d)[0]
		fmt.Fprintf(&b, "=== %s ===\n%-8s%-8s%-26s%s\n", name, "Socket", "Light", "Number", "Way out")
		for n, a := range spec.Interfaces[id].Addresses {
			light := map[bool]string{true: "lit", false: "dark"}[net.State.IsUp(id)]
			socket := spec.Interfaces[id].Name
			if n > 0 {
				socket, light = "", ""
			}
			fmt.Fprintf(&b, "%-8s%-8s%-26s\n", socket, light, a.Prefix)
		}
		b.WriteString("\n")
	}
	return []byte(b.String())
}

const lampMap = `# How the lamp bus lists what is on it.
ropeswing-map: 1
name: harbour lamp bus
device: '^=== (?P<name>\S+) ===$'
skip: ['^Harbour lamp bus']
tables:
  - heading: [Socket, Light, Number, Way out]
    fields: {interface: Socket, oper: Light, address: Number}
    repeats: interface          # an empty cell stands for the one above
    ends: blank
    words: {oper: {lit: up, dark: down}}
    known: [addresses4, addresses6]
`

// linuxLists is what a Linux machine lists of its addresses and routes.
func linuxLists(t *testing.T, net *forward.Network, d model.DeviceID) (addresses, routes []byte) {
	spec := net.Spec
	links := []map[string]any{{"ifindex": 1, "ifname": "lo", "flags": []string{"LOOPBACK", "UP", "LOWER_UP"}, "mtu": 65536,
		"operstate": "UNKNOWN", "link_type": "loopback", "address": "00:00:00:00:00:00", "addr_info": []any{map[string]any{"family": "inet",
			"local": "127.0.0.1", "prefixlen": 8, "scope": "host"}}}}
	info := func(i *model.Interface) []any {
		all := []any{}
		for _, a := range i.Addresses {
			if !a.Virtual {
				family := map[bool]string{true: "inet", false: "inet6"}[a.Addr().Is4()]
				all = append(all, map[string]any{"family": family, "local": a.Addr().String(), "prefixlen": a.Bits(), "scope": "global"})
			}
		}
		return all
	}
	for n, id := range spec.InterfacesOf(d) {
		i := &spec.Interfaces[id]
		if i.Kind == model.Loopback {
			links[0]["addr_info"] = append(links[0]["addr_info"].([]any), info(i)...)
			continue
		}
		flags, oper := []string{"BROADCAST", "MULTICAST"}, "DOWN"
		if !i.AdminDown {
			flags = append(flags, "UP")
		}
		if net.State.IsUp(id) {
			flags, oper = append(flags, "LOWER_UP"), "UP"
		}
		mtu := i.MTU
		if mtu == 0 {
			mtu = 1500
		}
		mac := frames.MACOf(spec, id)
		x := map[string]any{"ifindex": n + 2, "ifname": i.Name, "flags": flags, "mtu": mtu, "operstate": oper, "link_type": "ether",
			"address": fmt.Sprintf("%02x:%02x:%02x:%02x:%02x:%02x", mac[0], mac[1], mac[2], mac[3], mac[4], mac[5]), "addr_info": info(i)}
		if i.Kind == model.Subinterface {
			x["link"] = spec.Interfaces[i.Parent].Name
		}
		links = append(links, x)
	}
	var all []map[string]any
	for _, e := range net.Table(d).Entries() {
		x := map[string]any{"dst": e.Prefix.String(), "flags": []string{}}
		switch s := e.Static(); {
		case e.Source == routing.Local:
			continue
		case s == model.None:
			x["protocol"], x["dev"], x["scope"] = "kernel", spec.Interfaces[e.Out()].Name, "link"
		case spec.Statics[s].Discard:
			x["protocol"], x["type"] = "static", "blackhole"
		default:
			x["protocol"], x["gateway"] = "static", spec.Statics[s].Via.String()
			for _, h := range e.Hops {
				x["dev"] = spec.Interfaces[h.Out].Name
			}
		}
		if e.Static() != model.None && (e.Usable != routing.IsUsable && e.Usable != routing.InterfaceDown) {
			continue
		}
		if e.Prefix.Bits() == 0 {
			x["dst"] = "default"
		}
		if e.Distance > 1 {
			x["metric"] = int(e.Distance)
		}
		if !e.InUse && slices.ContainsFunc(net.Table(d).Entries(), func(o routing.Entry) bool {
			return o.Prefix == e.Prefix && o.InUse && o.Static() != model.None
		}) {
			continue // what only stands by is kept out of the kernel's table
		}
		all = append(all, x)
	}
	text := func(v any) []byte {
		b, err := json.MarshalIndent(v, "", " ")
		require.NoError(t, err)
		return append(b, '\n')
	}
	return text(links), text(all)
}

// The demo's files are those that follow from its plan and the five faults. Set
// ROPESWING_UPDATE to write them anew.
func TestTheBadMorningsFilesFollowFromThePlan(t *testing.T) {
	t.Parallel()
	net := badMorning(t)
	for id := range net.Spec.Interfaces { // a device tells its addresses on the wire, though no plan has them
		if i := &net.Spec.Interfaces[id]; i.MAC == "" && i.Kind != model.Loopback && !i.Serial {
			i.MAC = frames.MACOf(net.Spec, model.InterfaceID(id)).String()
		}
	}
	files := said(t, net)
	files["lamps.map.yaml"] = []byte(lampMap)
	home := filepath.Join("..", "..", "demo", "skerry-lights", demo.Seen)
	if os.Getenv("ROPESWING_UPDATE") != "" {
		require.NoError(t, os.MkdirAll(home, 0o755))
		for name, text := range files {
			require.NoError(t, os.WriteFile(filepath.Join(home, name), text, 0o644))
		}
	}
	entries, err := os.ReadDir(home)
	require.NoError(t, err)
	assert.Len(t, entries, len(files))
	for name, text := range files {
		have, err := os.ReadFile(filepath.Join(home, name))
		require.NoError(t, err)
		assert.Equal(t, string(text), string(have), name)
	}
}

// The five faults of the bad morning are found, and what follows from them; nothing
// else is.
func TestTheBadMorningsFaultsAreFound(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "observe", demo.Seen, "-w", "observed")
	require.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, r.Out, "kept in observed: 19 devices")
	r = run(t, dir, "compare", "-o", "json")
	assert.Equal(t, 1, r.Code)
	var v struct {
		Compared, Lost int
		InPlace        int `json:"in_place"`
		Differences    []struct {
			Device, What, Subject, Kind, Planned, Found, Slip string
			Lost                                              int
			Such                                              string `json:"such_as"`
		}
		NotObserved []string `json:"not_observed"`
	}
	require.NoError(t, json.Unmarshal([]byte(r.Out), &v))
	var found []string
	for _, d := range v.Differences {
		found = append(found, fmt.Sprintf("%s %s %s: %s (%s)", d.Device, d.What, d.Subject, d.Kind, d.Slip))
	}
	assert.Equal(t, []string{
		"quay-sw1 admin status p7: different (administratively down)",
		"gull-point route 0.0.0.0/0: missing ()",
		"mole-rtr next hop 10.48.3.0/24: different (the next hop points back)",
		"mole-sw vlan p24: different (VLAN 191 is missing)",
		"desk-7 oper status port: different (it follows from quay-sw1:p7, which is administratively down)",
		"pilot-desk address port: different (mask /24 for /27)",
	}, found)
	assert.Equal(t, "ops-laptop cannot reach desk-7", v.Differences[0].Such)
	assert.Equal(t, v.Compared, v.InPlace+len(found), "everything else is in place")
	assert.Equal(t, []string{"fibre-carrier", "sat-carrier", "tablet"}, v.NotObserved)
	assert.Contains(t, oneLine(run(t, dir, "compare").Out), "next ropeswing ping ops-laptop desk-7 --observed observed")

	// What is promised, and how far each device is.
	out := oneLine(run(t, dir, "compare").Out)
	assert.Contains(t, out, "breaks: the requirement 'everyone reaches log-server over udp/514'; the operator does not reach mole-sw")
	assert.Contains(t, out, "not compared, since no list shows them: permits, translations, watches,")
	assert.Contains(t, out, "not known: IPv4 routes that stand by, IPv6 routes that stand by of mole-rtr, mole-spare")
	r = run(t, dir, "compare", "--progress")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, first(r.Out), "13 of 20 devices done, 10 of them as far as seen; next: quay-sw1 · predicted from what was observed")
	assert.Contains(t, oneLine(r.Out), "tablet 0 5 not seen: 5 things to do")
	assert.Contains(t, oneLine(r.Out), "mole-sw 33 1 1 to do; not seen: IPv4 addresses")
	assert.Contains(t, run(t, dir, "compare", "--done", "-o", "csv").Out, "desk-7,address,port,10.48.1.10/26")
	assert.Contains(t, run(t, dir, "compare", "--progress", "--saved").Err, "go with nothing else")
	r = run(t, dir, "check", "--observed", "observed")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, oneLine(r.Out), "3 of 9 requirements hold")
	assert.Contains(t, oneLine(r.Out), "bring up quay-sw1:p7, which is administratively down (tried: it works)")

	// The same answers about the network as found.
	r = run(t, dir, "ping", "ops-laptop", "tern-cam", "-4", "--observed", "observed")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, first(r.Out), "predicted from what was observed")
	assert.Contains(t, oneLine(r.Out), "in a loop between quay-edge and mole-rtr")
	assert.Contains(t, oneLine(run(t, dir, "show", "interfaces", "desk-7", "--observed", "observed").Out),
		"quay-sw1:p7 is administratively down")
	assert.Contains(t, first(run(t, dir, "reach", "--observed", "observed").Out), "predicted from what was observed")
	assert.Contains(t, oneLine(run(t, dir, "trace", "desk-7", "tern-cam", "--observed", "observed").Out), "is down")
}

func TestReadersSayWhatTheyDidNotUnderstand(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	write(t, dir, "mole-sw.csv", "interface,admin,oper,tagged\np24,up,up,120 191\np25,sideways,up,\np26,up,up,5000\n")
	r := run(t, dir, "observe", "mole-sw.csv", "--unread")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, oneLine(r.Out),
		"mole-sw.csv mole-sw csv 1 2 mole-sw.csv:3: not read, 'sideways' is neither up nor down: p25,sideways,up,")
	assert.Contains(t, oneLine(r.Out), "mole-sw.csv:4: not read, '5000' is no list of VLAN numbers")
	assert.Contains(t, r.Err, "nothing is kept")

	write(t, dir, "broken.json", `{"ietf-interfaces:interfaces": {"interface": [`)
	write(t, dir, "strange.json", `{"what": 1}`)
	write(t, dir, "list.txt", "Port  State\np1    on\n")
	write(t, dir, "esc.csv", "device,interface,admin\nx,\x1b]0;gotcha\x07p1,up\nx,p2,\x1b[31mup\n")
	for args, message := range map[string]string{
		"observe":                             "observe what?",
		"observe none.json":                   "no such file",
		"observe broken.json":                 "it is no whole JSON",
		"observe strange.json":                "neither interfaces (RFC 8343) nor routing (RFC 8349)",
		"observe list.txt":                    "write a column map and name it with --map",
		"observe list.txt --as nonsense":      "there is no format nonsense",
		"observe list.txt --map list.txt":     "list.txt: it is no column map",
		"observe list.txt --taken yesterday":  "--taken is a time such as",
		"compare nowhere":                     "there is no state nowhere; make it",
		"compare":                             "there is no state",
		"ping desk-7 tern-cam --observed bad": "there is no state bad; make it",
	} {
		r := run(t, dir, strings.Fields(args)...)
		assert.Equal(t, 2, r.Code, args)
		assert.Contains(t, r.Err, message, args)
	}
	r = run(t, dir, "observe", "esc.csv", "--unread")
	assert.NotContains(t, r.Out+r.Err, "\x1b", "text from files never reaches the terminal raw")
	assert.NotContains(t, r.Out+r.Err, "\x07")
	write(t, dir, "a.json", `{"ietf-interfaces:interfaces": {"interface": [{"name": "p1", "type": "iana-if-type:other"}]}}`)
	write(t, dir, "b.json", `{"ietf-interfaces:interfaces": {"interface": [{"name": "q1", "type": "iana-if-type:other"}]}}`)
	r = run(t, dir, "observe", "a.json", "b.json", "--device", "mole-sw", "-w", "state")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "a.json and b.json both say that they are mole-sw, and have no interface in common")
	_, err := os.Stat(filepath.Join(dir, "state"))
	assert.Error(t, err, "nothing is half written")
}

// Twenty faults, one at a time, each found by its name.
func TestTwentyPlantedFaultsAreFound(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	require.Equal(t, 0, run(t, dir, "export", "models", "--to", "out", "-w").Code)
	sound := map[string]string{}
	entries, err := os.ReadDir(filepath.Join(dir, "out"))
	require.NoError(t, err)
	for _, e := range entries {
		sound[e.Name()] = read(t, filepath.Join(dir, "out"), e.Name())
	}
	for _, x := range []struct{ device, old, new, want string }{
		{"tern-rock", `"ip": "10.48.3.1"`, `"ip": "10.48.1.3"`, "address 10.48.3.1/29 10.48.1.3/29 digits swapped"},
		{"tern-rock", `"ip": "10.48.3.1"`, `"ip": "10.48.3.2"`, "address 10.48.3.1/29 10.48.3.2/29 one digit off"},
		{"tern-rock", `"ip": "10.48.3.1",` + "\n" + `       "prefix-length": 29`, `"ip": "10.48.3.1",` + "\n" + `       "prefix-length": 28`,
			"address 10.48.3.1/29 10.48.3.1/28 mask /28 for /29"},
		{"quay-edge", `"ip": "198.51.100.34"`, `"ip": "198.51.100.43"`, "address 198.51.100.34/29 198.51.100.43/29 digits swapped"},
		{"quay-edge", `"ip": "2001:db8:ca:1::2"`, `"ip": "2001:db8:ca:2::1"`, "address 2001:db8:ca:1::2/64 2001:db8:ca:2::1/64 digits swapped"},
		{"quay-edge", `"mtu": 1500`, `"mtu": 1400`, "mtu 1500 1400"},
		{"far-skerry", `"name": "lan1"`, `"name": "lan9"`, "interface lan1 missing"},
		{"desk-7", `next-hop-address": "10.48.1.1"`, `next-hop-address": "10.48.1.2"`,
			"next hop via 10.48.1.1 (quay-core:vlan110) via 10.48.1.2 one digit off"},
		{"gull-point", `destination-prefix": "10.48.2.0/24"`, `destination-prefix": "10.48.20.0/24"`,
			"route 10.48.2.0/24 missing 10.48.20.0/24 extra"},
		{"mole-rtr", `"admin-status": "up",` + "\n" + `    "enabled": true,` + "\n" + `    "ietf-ip:ipv4": {` + "\n" + `     "address": [` +
			"\n" + `      {` + "\n" + `       "ip": "10.48.0.3"`, `"admin-status": "down",` + "\n" + `    "enabled": false,` + "\n" +
			`    "ietf-ip:ipv4": {` + "\n" + `     "address": [` + "\n" + `      {` + "\n" + `       "ip": "10.48.0.3"`,
			"admin status up down administratively down"},
		{"log-server", `"oper-status": "up"`, `"oper-status": "down"`, "oper status up down nothing comes from quay-core:p1"},
		{"tern-cam", `"ip": "10.48.3.2"`, `"ip": "10.48.3.7"`, "address 10.48.3.2/29 10.48.3.7/29 the broadcast address"},
		{"quay-core", `"ip": "10.48.1.1"`, `"ip": "10.48.1.10"`, "address 10.48.1.1/26 10.48.1.10/26 one digit off"},
		{"quay-core", `"ip": "10.48.1.97"`, `"ip": "10.48.1.79"`, "address 10.48.1.97/28 10.48.1.79/28 digits swapped"},
		{"mole-spare", `"ip": "10.48.2.3"`, `"ip": "10.48.2.30"`, "address 10.48.2.3/27 10.48.2.30/27 one digit off"},
		{"far-cam", `"ip": "10.48.5.2"`, `"ip": "10.48.4.2"`, "address 10.48.5.2/29 10.48.4.2/29 one digit off"},
		{"pilot-desk", `next-hop-address": "10.48.2.1"`, `next-hop-address": "10.48.1.2"`, "digits swapped"},
		{"gull-lamp", `next-hop-address": "10.48.4.9"`, `next-hop-address": "10.48.4.99"`, "one digit off"},
		{"ops-laptop", `"ip": "10.48.1.106"`, `"ip": "10.48.1.160"`, "digits swapped"},
		{"sat-carrier", `"ip": "198.51.100.65"`, `"ip": "198.51.100.67"`, "the broadcast address"},
	} {
		require.Contains(t, sound[x.device+".json"], x.old, x.want)
		write(t, filepath.Join(dir, "out"), x.device+".json", strings.Replace(sound[x.device+".json"], x.old, x.new, 1))
		require.NoError(t, os.RemoveAll(filepath.Join(dir, "observed")))
		require.Equal(t, 0, run(t, dir, "observe", "out", "-w", "observed").Code)
		r := run(t, dir, "compare", "-o", "csv")
		assert.Equal(t, 1, r.Code, x.want)
		line := ""
		for l := range strings.Lines(r.Out) {
			if strings.HasPrefix(l, x.device+",") {
				line += l
			}
		}
		for _, word := range strings.Split(strings.NewReplacer(" (", " (", ": ", ": ").Replace(x.want), " ") {
			assert.Contains(t, line, word, "%s: %s", x.device, x.want)
		}
		write(t, filepath.Join(dir, "out"), x.device+".json", sound[x.device+".json"])
	}
}

// Reports for machines: SARIF 2.1.0 by its required properties, JUnit's counts.
func TestReportsForMachines(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	require.Equal(t, 0, run(t, dir, "observe", demo.Seen, "-w", "observed").Code)
	for _, args := range [][]string{{"check", "-p", demo.BadMorning}, {"compare"}} {
		r := run(t, dir, append(args, "-o", "sarif")...)
		assert.Equal(t, 1, r.Code)
		var v struct {
			Version string
			Runs    []struct {
				Tool struct {
					Driver struct {
						Name  string
						Rules []struct{ ID string }
					}
				}
				Results []struct {
					RuleID, Level string
					Message       struct{ Text string }
					Locations     []struct {
						PhysicalLocation struct {
							ArtifactLocation struct{ URI string }
							Region           struct{ StartLine, StartColumn int }
						}
					}
				}
			}
		}
		require.NoError(t, json.Unmarshal([]byte(r.Out), &v), args)
		assert.Equal(t, "2.1.0", v.Version)
		require.Len(t, v.Runs, 1)
		known := map[string]bool{}
		for _, rule := range v.Runs[0].Tool.Driver.Rules {
			known[rule.ID] = true
		}
		assert.Greater(t, len(v.Runs[0].Results), 5)
		for _, x := range v.Runs[0].Results {
			assert.True(t, known[x.RuleID], x.RuleID)
			assert.Contains(t, []string{"error", "warning", "note"}, x.Level)
			require.NotEmpty(t, x.Locations)
			assert.Contains(t, x.Locations[0].PhysicalLocation.ArtifactLocation.URI, "skerry.plan.yaml")
			assert.Positive(t, x.Locations[0].PhysicalLocation.Region.StartLine)
		}
		r = run(t, dir, append(args, "-o", "junit")...)
		assert.Equal(t, 1, r.Code)
		var suites struct {
			Suites []struct {
				Tests    int `xml:"tests,attr"`
				Failures int `xml:"failures,attr"`
				Cases    []struct {
					Failure *struct{} `xml:"failure"`
				} `xml:"testcase"`
			} `xml:"testsuite"`
		}
		require.NoError(t, xml.Unmarshal([]byte(r.Out), &suites))
		failures := 0
		for _, c := range suites.Suites[0].Cases {
			if c.Failure != nil {
				failures++
			}
		}
		assert.Equal(t, []int{len(suites.Suites[0].Cases), failures}, []int{suites.Suites[0].Tests, suites.Suites[0].Failures})
		assert.Positive(t, failures)
	}
	assert.Contains(t, run(t, dir, "check", "-o", "junit").Out, `name="nothing wrong"`)
	assert.Equal(t, 2, run(t, dir, "show", "routes", "-o", "sarif").Code, "only of commands that find something")
}

// A drafted plan is of the network it was drafted from: comparing the two finds
// nothing, and a ping in it takes the same path.
func TestADraftIsOfWhatWasObserved(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	require.Equal(t, 0, run(t, dir, "export", "models", "--to", "out", "-w").Code)
	require.Equal(t, 0, run(t, dir, "observe", "out", "-w", "all").Code)
	require.Equal(t, 0, run(t, dir, "observe", demo.Seen, "-w", "some").Code)
	for _, state := range []string{"all", "some"} {
		r := run(t, dir, "draft", state, "--to", state+".plan.yaml", "-w")
		require.Equal(t, 0, r.Code, r.Err)
		assert.Contains(t, r.Err, "is written; next: ropeswing -p "+state+".plan.yaml check")
		assert.Contains(t, read(t, dir, state+".plan.yaml"), "is: router   # guessed: it is on several subnets")
		r = run(t, dir, "compare", state, "-p", state+".plan.yaml")
		assert.Equal(t, 0, r.Code, r.Out)
		assert.Equal(t, 2, run(t, dir, "draft", state, "--to", state+".plan.yaml", "-w").Code, "what is there is left alone")
	}
	write(t, dir, "half.plan.yaml", "ropeswing: 1\nsegments:\n  desks: {prefix: 10.48.1.0/26, vlan: 110}\ndevices:\n  core-a: {is: switch, "+
		"interfaces: {vlan110: {vlan: desks, address: 1}}}\n")
	r := run(t, dir, "draft", "some", "--into", "half.plan.yaml")
	assert.Contains(t, r.Out, "quay-core is core-a of the plan: by 10.48.1.1\n")
	assert.Contains(t, r.Err, "IPv4 addresses of mole-sw")
	assert.Contains(t, r.Out, "next: ropeswing draft some --into half.plan.yaml -w\n")
	before := read(t, dir, "half.plan.yaml")
	r = run(t, dir, "draft", "some", "--into", "half.plan.yaml", "-w")
	require.Equal(t, 0, r.Code, r.Err)
	assert.NotEqual(t, before, read(t, dir, "half.plan.yaml"))
	assert.NotContains(t, read(t, dir, "half.plan.yaml"), "net-10-48-1-0-26", "what the plan has a name for")
	r = run(t, dir, "draft", "some", "--into", "half.plan.yaml")
	assert.Equal(t, "nothing was found that half.plan.yaml does not have", first(r.Out))
	assert.Equal(t, 2, run(t, dir, "draft", "some", "--into", "half.plan.yaml", "--to", "x.plan.yaml").Code)
	way := func(plan string) string {
		var v struct {
			Families []struct {
				Forward struct{ Nodes []struct{ Device string } }
			}
		}
		require.NoError(t, json.Unmarshal([]byte(run(t, dir, "ping", "desk-7", "tern-cam", "-p", plan, "-o", "json").Out), &v))
		return fmt.Sprint(v)
	}
	assert.Equal(t, way(demo.Plan), way("all.plan.yaml"))
	assert.Contains(t, run(t, dir, "draft").Err, "name the state")
}
