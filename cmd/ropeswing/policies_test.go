package main

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/demo"
)

func TestPermitsDecideAboutAPing(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "ping", "tablet", "desk-7", "-4")
	assert.Equal(t, 1, r.Code)
	out := oneLine(r.Out)
	assert.Contains(t, out, "on the forward path, quay-core refuses icmp from 10.48.1.82 to 10.48.1.10: its permit 2, 'quay-guest is "+
		"refused home', skerry.plan.yaml:90 (refused-by-permit)")
	assert.Contains(t, out, "remedy let quay-core pass 'tablet may reach desk-7 over icmp', before its permit 2 (tried: it works)")
	assert.Contains(t, out, "next ropeswing show permits quay-core")
	assert.Equal(t, 0, run(t, dir, "ping", "desk-7", "tablet").Code, "the other path it is let through, and so is its reply")
	assert.Equal(t, 0, run(t, dir, "ping", "tablet", "log-server", "--over", "udp/514").Code)
	assert.Equal(t, 1, run(t, dir, "ping", "tablet", "log-server", "--over", "tcp/514").Code)
	trace := oneLine(run(t, dir, "trace", "tablet", "desk-7", "-4").Out)
	assert.Contains(t, trace, "1 10.48.1.81 quay-core vlan160 time exceeded 2 10.48.1.81 quay-core vlan160 administratively prohibited")
	assert.Contains(t, run(t, dir, "trace", "tablet", "desk-7", "--over", "tcp/22", "--with-pending").Out,
		"next    ropeswing ping tablet desk-7 --over tcp/22 --with-pending")
	explained := oneLine(run(t, dir, "ping", "desk-7", "192.0.2.200", "-4", "--explain").Out)
	for _, want := range []string{
		"sends from 10.48.1.10: the primary one on port in the next hop's subnet",
		"asks by ARP on port for 10.48.1.1: quay-core:vlan110 answers",
		"translates its source to 198.51.100.34: 'home shares wan0', skerry.plan.yaml:",
		"translates its destination to 10.48.1.10: that of what it answers is undone",
		"passes (its permit 1, 'anyone may answer home', skerry.plan.yaml:",
		"passes (it belongs to what passed before)",
	} {
		assert.Contains(t, explained, want)
	}
	for args, message := range map[string]string{"ping desk-7 tern-cam --over http": "--over: a service is 'icmp'",
		"ping desk-7 tern-cam --over tcp/0":        "a port is a number from 1 to 65535",
		"ping desk-7 tern-cam --at quay-edge:lan0": "--at goes with --capture"} {
		r := run(t, dir, strings.Fields(args)...)
		assert.Equal(t, 2, r.Code)
		assert.Contains(t, r.Err, message)
	}
}

func TestPendingPermitsAreTriedBeforeTheyAreInForce(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	ask := []string{"ping", "fibre-carrier", "tern-cam", "-6", "--over", "tcp/443"}
	r := run(t, dir, ask...)
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, oneLine(r.Out),
		"would let it pass, and is pending (filtered-out) remedy put the pending permit 3 of quay-edge in force: 'anyone may reach tern-cam "+
			"over tcp/443' (tried: it works)")
	r = run(t, dir, append(ask, "--with-pending")...)
	assert.Equal(t, 0, r.Code)
	assert.Equal(t, "fibre-carrier reaches tern-cam in IPv6 · predicted from the plan, over tcp/443, pending permits in force", first(r.Out))
	text := read(t, dir, demo.Plan)
	write(t, dir, demo.Plan, text+"  - fibre-carrier reaches 2001:db8:5ea:300::2 over tcp/443\n")
	out := oneLine(run(t, dir, "check").Out)
	assert.Contains(t, out, "9 of 10 requirements hold")
	assert.Contains(t, out, "it does not, and would if quay-edge passed 'anyone may reach tern-cam over tcp/443'")
	assert.Contains(t, out, "(pending-permit-needed)")
	write(t, dir, demo.Plan, strings.Replace(text, "pending: true", "pending: false", 1)+
		"  - fibre-carrier reaches 2001:db8:5ea:300::2 over tcp/443\n")
	assert.Contains(t, oneLine(run(t, dir, "check").Out), "10 of 10 requirements hold")
}

func TestPermitsAreListedWithWhatHangsOnThem(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	var all []struct {
		Device, Of, Sentence, State, Never string
		Number                             int
		Requirements                       []string
	}
	require.NoError(t, json.Unmarshal([]byte(run(t, dir, "show", "permits", "-o", "json").Out), &all))
	require.Len(t, all, 6)
	assert.Equal(t, "quay-guest is refused home", all[5].Sentence)
	assert.Equal(t, []string{"quay-guest does not reach quay-manage"}, all[5].Requirements)
	assert.Equal(t, "pending", all[2].State)
	assert.Contains(t, all[1].Requirements, "fibre-carrier reaches 198.51.100.35 over udp/514")
	for _, p := range all {
		assert.Empty(t, p.Never, p.Sentence)
	}
	write(t, dir, "p.plan.yaml", `ropeswing: 1
segments: {a: {prefix: 10.1.0.0/24}, b: {prefix: 10.2.0.0/24}}
devices:
  x: {is: host, interfaces: {p: {segment: a, address: 10}}}
  y: {is: host, interfaces: {p: {segment: b, address: 10}}}
  f: {is: firewall, permits: [a may reach b, x may not reach y, 10.9.0.0/16 may reach b, {permit: b may reach a over tcp/22, in: l}], own-permits: [x may reach itself over tcp/22], interfaces: {l: {segment: a, address: 1}, m: {segment: b, address: 1}}}
`)
	out := oneLine(run(t, dir, "show", "permits", "-p", "p.plan.yaml").Out)
	assert.Contains(t, out, "f, a firewall: replies to what passed pass; the rest it drops")
	assert.Contains(t, out, "never decides: 1 matches all that it does")
	assert.Equal(t, 2, strings.Count(out, "nothing that anyone in the plan sends is like this"), out)
	checked := oneLine(run(t, dir, "check", "-p", "p.plan.yaml").Out)
	assert.Contains(t, checked, "permit 2 of f never decides: all it matches is decided by 1, 'a may reach b', p.plan.yaml:6")
	assert.Contains(t, checked, "permit 4 of f decides about nothing that anyone in the plan sends")
	assert.Contains(t, run(t, dir, "show", "permits", "desk-7", "-p", demo.Plan).Out, "the plan has no permits")
}

func TestTranslationsAreListedOnBothSides(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	out := oneLine(run(t, dir, "show", "translations").Out)
	assert.Contains(t, out, "wan0 log-server 10.48.1.74 198.51.100.35 one to one")
	assert.Contains(t, out, "wan1 10.48.0.0/20 198.51.100.66 shared")
	r := run(t, dir, "ping", "fibre-carrier", "198.51.100.35")
	assert.Equal(t, 0, r.Code)
	assert.Contains(t, oneLine(r.Out), "translates to 198.51.100.35, now 10.48.1.74")
	assert.Contains(t, oneLine(r.Out), "translates from 10.48.1.74, now 198.51.100.35")
	assert.Equal(t, 0, run(t, dir, "ping", "desk-7", "192.0.2.200", "--without", "fibre").Code, "by the satellite's address then")
	write(t, dir, "t.plan.yaml", `ropeswing: 1
blocks: {home: [10.1.0.0/16], lent: [198.51.100.0/28]}
segments: {a: {prefix: 10.1.0.0/24, hosts: 7}, up: {prefix: 198.51.100.0/28}}
devices:
  x: {is: host, interfaces: {p: {segment: a, address: 10}}}
  y: {is: host, interfaces: {p: {segment: a, address: 11}}}
  f: {is: router, translates: [a takes 198.51.100.3..198.51.100.3 beyond u], interfaces: {l: {segment: a, address: 1}, u: {segment: up, address: 2}}, routes: {default: w}}
  w: {is: world, beyond: 192.0.2.0/24, interfaces: {p: {segment: up, address: 1}}}
`)
	assert.Contains(t, oneLine(run(t, dir, "show", "translations", "-p", "t.plan.yaml").Out), "u y 10.1.0.11 none left taken")
	assert.Contains(t, oneLine(run(t, dir, "check", "-p", "t.plan.yaml").Out), "7 hosts, 1 addresses: y has none")
	r = run(t, dir, "ping", "y", "192.0.2.9", "-p", "t.plan.yaml")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, oneLine(r.Out), "f has no address left for 10.1.0.11")
	assert.Contains(t, r.Out, "show translations f")
}

// A remedy that is a permit can be written into the plan as shown, in the list's own
// layout, and works then.
func TestAPermitAsARemedyIsAnEdit(t *testing.T) {
	t.Parallel()
	for _, permits := range []string{"permits: [10.9.0.0/16 may reach anyone]", "permits: 10.9.0.0/16 may reach anyone",
		"permits:\n      - 10.9.0.0/16 may reach anyone  # old",
		"permits:\n      - {permit: x may not reach y, note: no}\n      - a may reach b", "otherwise: refuse"} {
		dir := t.TempDir()
		write(t, dir, "p.plan.yaml", `ropeswing: 1
segments: {a: {prefix: 10.1.0.0/24}, b: {prefix: 10.2.0.0/24}}
devices:
  x: {is: host, interfaces: {p: {segment: a, address: 10}}}
  y: {is: host, interfaces: {p: {segment: b, address: 10}}}
  f:
    is: firewall
    `+permits+`
    interfaces: {l: {segment: a, address: 1}, m: {segment: b, address: 1}}
`)
		var v struct {
			Families []struct {
				Remedy []struct {
					Change, File string
					Line         int
					Out, In      []string
				}
			}
		}
		require.NoError(t, json.Unmarshal([]byte(run(t, dir, "ping", "x", "y", "-o", "json").Out), &v), permits)
		require.Len(t, v.Families[0].Remedy, 1, permits)
		c := v.Families[0].Remedy[0]
		require.NotZero(t, c.Line, permits)
		lines := strings.Split(read(t, dir, "p.plan.yaml"), "\n")
		after := append(append(append([]string{}, lines[:c.Line-1]...), c.In...), lines[c.Line-1+len(c.Out):]...)
		write(t, dir, "p.plan.yaml", strings.Join(after, "\n"))
		assert.Equal(t, 0, run(t, dir, "ping", "x", "y").Code, "%s becomes\n%s", permits, strings.Join(after, "\n"))
	}
}

func TestMTUBlackHolesAreFoundAndFollowed(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "m.plan.yaml", `ropeswing: 1
segments: {a: {prefix: 10.1.0.0/24}, l: {prefix: 10.0.0.0/31}, b: {prefix: 10.2.0.0/24}}
devices:
  ha: {is: host, gateway: ra, interfaces: {p: {segment: a, address: 10}}}
  ra: {is: router, interfaces: {l: {segment: a, address: 1}, x: {segment: l, address: first}}, routes: {b: rb}}
  rb: {is: router, interfaces: {l: {segment: b, address: 1}, x: {segment: l, address: last, mtu: 1400}}, routes: {a: ra}}
  hb: {is: host, gateway: rb, interfaces: {p: {segment: b, address: 10}}}
`)
	assert.Contains(t, oneLine(run(t, dir, "check").Out),
		"packets of 1500 bytes from ha (10.1.0.10) to hb (10.2.0.10) vanish at ra:x: the far end drops them silently")
	assert.Equal(t, 1, run(t, dir, "ping", "ha", "hb", "--size", "1472").Code)
	assert.Equal(t, 0, run(t, dir, "ping", "ha", "hb", "--size", "1372").Code)
}
