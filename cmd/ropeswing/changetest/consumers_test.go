package changetest

import (
	"encoding/json"
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// object is a JSON object by the keys that docs/reference/json.md tells of.
type object map[string]any

func (o object) text(key string) string { s, _ := o[key].(string); return s }

func (o object) is(key string) bool { b, _ := o[key].(bool); return b }

func (o object) list(key string) (all []object) {
	items, _ := o[key].([]any)
	for _, x := range items {
		if m, ok := x.(map[string]any); ok {
			all = append(all, m)
		}
	}
	return all
}

func (o object) words(key string) (all []string) {
	items, _ := o[key].([]any)
	for _, x := range items {
		all = append(all, fmt.Sprint(x))
	}
	return all
}

// exported are the devices of a plan as 'export json' has them.
func exported(t *testing.T, dir string) (all []object) {
	t.Helper()
	r := run(t, dir, "export", "json")
	require.Equal(t, 0, r.Code, r.Err)
	require.NoError(t, json.Unmarshal([]byte(r.Out), &all))
	require.NotEmpty(t, all)
	return all
}

// held are the addresses that are facts, neither leased nor only likely, with who has them at which interface.
func held(devices []object) map[netip.Addr]string {
	all := map[netip.Addr]string{}
	for _, d := range devices {
		for _, i := range d.list("interfaces") {
			for _, a := range i.list("addresses") {
				if !a.is("leased") && !a.is("advertised") {
					all[netip.MustParseAddr(a.text("address"))] = d.text("device") + " " + i.text("interface")
				}
			}
		}
	}
	return all
}

const island = `ropeswing: 1
name-servers: [cellar]
blocks: {isle: {prefix: 10.77.0.0/22}}
segments:
  parlour: {vlan: 7, hosts: 30, leases: {range: 10..29, by: hill}}
  byre: {vlan: 9, hosts: 12, leases: {range: 4..9, by: cellar}}
  store: {vlan: 11, hosts: 4}
devices:
  hill:
    is: router
    interfaces:
      a: {}
      a.7: {parent: a, segment: parlour, tag: 7, address: first}
      a.9: {parent: a, segment: byre, tag: 9, address: first, relay: cellar}
      a.11: {parent: a, segment: store, tag: 11, address: first}
  floor: {is: switch, interfaces: {p1: {tagged: [parlour, byre, store]}, p2: {access: store}, p3: {access: parlour}}}
  cellar: {is: host, at: "floor:p2", segment: store, address: 2}
  desk: {is: host, at: "floor:p3", segment: parlour, address: 5}
cables: ["hill:a to floor:p1"]
`

// A server of leases that knows nothing but the documented keys gives nobody an address that another has, the gateway that answers
// there, and servers that are there.
func TestAServerOfLeasesIsFed(t *testing.T) {
	t.Parallel()
	for name, dir := range map[string]string{"demo": lights(t), "island": folder(t, island)} {
		devices := exported(t, dir)
		taken := held(devices)
		pools := 0
		for _, d := range devices {
			for _, l := range d.list("leases") {
				pools++
				first, last := netip.MustParseAddr(l.text("first")), netip.MustParseAddr(l.text("last"))
				subnet := netip.PrefixFrom(first, int(l["prefix_length"].(float64))).Masked()
				require.True(t, subnet.Contains(last) && first.Compare(last) <= 0, name)
				given := 0
				for a := first; a.Compare(last) <= 0; a = a.Next() {
					assert.Empty(t, taken[a], "%s: %s is leased, and has it already", name, a)
					given++
				}
				assert.Positive(t, given)
				gateway := netip.MustParseAddr(l.text("gateway"))
				assert.True(t, subnet.Contains(gateway), name)
				assert.NotEmpty(t, taken[gateway], "%s: nobody has the gateway %s", name, gateway)
				hears := taken[gateway] == "" // who is on the segment, or has it passed on
				for _, i := range d.list("interfaces") {
					for _, a := range i.list("addresses") {
						hears = hears || a.text("subnet") == subnet.String()
						for _, other := range devices {
							for _, x := range other.list("interfaces") {
								if passes := strings.Contains(strings.Join(x.words("relays"), " "), a.text("address")); passes {
									hears = hears || len(x.list("addresses")) > 0 && x.list("addresses")[0].text("subnet") == subnet.String()
								}
							}
						}
					}
				}
				assert.True(t, hears, "%s: %s hears nothing of %s", name, d.text("device"), l.text("segment"))
				for _, s := range d.words("name_servers") {
					assert.NotEmpty(t, taken[netip.MustParseAddr(s)], "%s: nobody answers at %s", name, s)
				}
			}
		}
		assert.Positive(t, pools, name)
	}
}

// A watcher that knows nothing but the documented keys finds whom to ask where, and what hangs together; it asks where the program
// itself says that the device is managed.
func TestAWatcherIsFed(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	devices := exported(t, dir)
	far := map[string]string{}
	watched := 0
	managed := run(t, dir, "show", "management", "-o", "json").Out
	for _, d := range devices {
		at := ""
		for _, i := range d.list("interfaces") {
			if i.text("far_device") != "" {
				far[d.text("device")+":"+i.text("interface")] = i.text("far_device") + ":" + i.text("far_interface")
			}
			if i.text("interface") == d.text("managed") && len(i.list("addresses")) > 0 {
				at = i.list("addresses")[0].text("address")
			}
		}
		if is := d.text("is"); at != "" && is != "host" && is != "world" {
			watched++
			assert.Contains(t, managed, `"`+at+`"`, d.text("device"))
		}
	}
	assert.Greater(t, watched, 5)
	assert.Greater(t, len(far), 10)
	for near, x := range far {
		assert.Equal(t, near, far[x], "the cable of %s", near)
	}
}

// A name server that knows nothing but the documented keys has the addresses of the hosts file, each by its device's name.
func TestANameServerIsFed(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	theirs := map[netip.Addr]string{}
	for line := range strings.Lines(run(t, dir, "export", "hosts").Out) {
		if words := strings.Fields(line); len(words) > 1 && words[0] != "#" {
			theirs[netip.MustParseAddr(words[0])] = words[1]
		}
	}
	ours := map[netip.Addr]string{}
	for _, d := range exported(t, dir) {
		for _, i := range d.list("interfaces") {
			for _, a := range i.list("addresses") {
				if !a.is("leased") && !a.is("advertised") && !a.is("link_local") && d.text("is") != "world" {
					at := netip.MustParseAddr(a.text("address"))
					if !a.is("shared") || strings.HasSuffix(theirs[at], d.text("device")) {
						ours[at] = d.text("device") // of a shared one either of those who have it
					}
				}
			}
		}
	}
	assert.Greater(t, len(ours), 20)
	for a, device := range ours {
		assert.True(t, theirs[a] == device || strings.HasSuffix(theirs[a], "."+device), "%s is %s's, and %q in the hosts file",
			a, device, theirs[a])
	}
	for a, name := range theirs {
		assert.NotEmpty(t, ours[a], "%s (%s) is in the hosts file only", a, name)
	}
}

// folder is one with a plan, numbers given.
func folder(t *testing.T, text string) string {
	t.Helper()
	dir := t.TempDir()
	write(t, dir, "a.plan.yaml", text)
	r := run(t, dir, "assign", "-w")
	require.Equal(t, 0, r.Code, r.Out+r.Err)
	return dir
}
