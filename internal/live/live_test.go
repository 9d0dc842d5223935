package live_test

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"ropeswing/core/compare"
	"ropeswing/core/coretest"
	"ropeswing/core/forward"
	"ropeswing/core/observed"
	corestandin "ropeswing/core/standin"
	"ropeswing/internal/access"
	"ropeswing/internal/live"
	"ropeswing/internal/standin"
	"ropeswing/internal/wire"
)

const rooms = `
segments: {left: {vlan: 7, prefix: [192.0.2.0/25, "2001:db8:1::/64"]}, right: {prefix: 192.0.2.128/25}, beside: {vlan: 9, prefix: 10.9.0.0/24}}
devices:
  middle:
    is: router
    loopback: 10.0.0.1
    interfaces: {eth0: {segment: left, address: first}, eth1: {segment: right, address: first}, eth2: {segment: beside, address: first, table: apart}}
    routes: {198.51.100.0/24: [192.0.2.10, 192.0.2.11], default: {next-hop: 192.0.2.10, distance: 7, metric: 3}, 10.8.0.0/16: {discard: true}}
    tables: {apart: {default: 10.9.0.9}}
  sw: {is: switch, interfaces: {p1: {access: left}, p2: {tagged: [left, beside]}, p3: {}, p4: {}, g: {members: [p3, p4], tagged: [left]}, v: {vlan: left, address: 20}}}
  desk: {is: host, at: sw:p1, address: 10}
cables: [middle:eth0 to sw:p2]
`

// served serves stand-ins of a network, and says how they are asked.
func served(t testing.TB, net *forward.Network, o standin.Options) (*corestandin.Yard, []standin.Served, live.Options) {
	t.Helper()
	y := corestandin.New(net, nil)
	secrets, err := standin.NewSecrets()
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	all, wait, err := standin.Serve(ctx, y, y.Names(), secrets, o)
	require.NoError(t, err)
	t.Cleanup(func() { cancel(); wait() })
	dir := t.TempDir()
	hosts := ""
	for _, s := range all {
		hosts += wire.KnownHost(s.SSH, s.HostKey) + "\n" + wire.KnownHost(s.Web, s.WebKey) + "\n"
	}
	for name, text := range map[string]string{"hosts": hosts, "key": string(secrets.Key), "auth": secrets.SNMP.Auth,
		"privacy": secrets.SNMP.Privacy, "community": secrets.SNMP.Community, "password": secrets.Password} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	of, err := access.Read([]byte("ropeswing-access: 1\n"), dir)
	require.NoError(t, err)
	options := live.Polite
	options.Access, options.Now, options.Hosts, options.Patience = of, time.Now, []string{filepath.Join(dir, "hosts")}, time.Second
	options.Secret = func(s *access.Secret, what string) (string, error) { return of.Find(s, what, os.Getenv, nil) }
	options.Gear = func(string) (*wire.Gear, error) { return wire.ReadGear(standin.Gear, nil) }
	return y, all, options
}

func file(name string) *access.Secret { return &access.Secret{File: name} }

// paths are the paths to a stand-in, by what each is called.
func ways(s standin.Served) map[string]access.Way {
	return map[string]access.Way{
		"netconf":  {By: access.NETCONF, At: s.SSH, User: "stand-in", Key: file("key")},
		"restconf": {By: access.RESTCONF, At: s.Web, User: "stand-in", Password: file("password")},
		"snmp 3":   {By: access.SNMP, Version: "3", At: s.SNMP, User: "stand-in", Auth: file("auth"), Privacy: file("privacy")},
		"snmp 2c":  {By: access.SNMP, Version: "2c", At: s.SNMP, Community: file("community")},
		"lists":    {By: access.Lists, At: s.SSH, User: "stand-in", Password: file("password"), Gear: "x"},
	}
}

func ask(t testing.TB, o live.Options, targets ...live.Target) []live.Result {
	t.Helper()
	all, err := live.Ask(t.Context(), targets, o, func(int, int) {})
	require.NoError(t, err)
	return all
}

// By each way alone, what is asked of a planned network is as planned.
func TestEachWayTellsThePlan(t *testing.T) {
	t.Parallel()
	net := coretest.Network(t, rooms)
	_, all, o := served(t, net, standin.Options{})
	for _, way := range []string{"netconf", "restconf", "snmp 3", "snmp 2c", "lists"} {
		var found []*observed.Device
		for _, s := range all {
			r := ask(t, o, live.Target{Name: s.Name, Ways: []access.Way{ways(s)[way]}})[0]
			require.NotNil(t, r.Device, "%s of %s: %v", way, s.Name, r.Failures)
			assert.Empty(t, r.Failures, way)
			assert.Empty(t, r.Unread, way)
			assert.True(t, r.Device.Knows(observed.Addresses4) && r.Device.Knows(observed.Routes4), way)
			found = append(found, r.Device)
		}
		assert.Empty(t, compare.Compare(net, found).Differences, way)
	}
}

// What one way does not tell is asked by the next.
func TestWaysFallBackByPart(t *testing.T) {
	t.Parallel()
	net := coretest.Network(t, rooms)
	_, all, o := served(t, net, standin.Options{})
	w := ways(all[0])
	r := ask(t, o, live.Target{Name: "middle", Ways: []access.Way{w["snmp 3"], w["lists"]}})[0]
	require.NotNil(t, r.Device)
	assert.True(t, r.Device.Knows(observed.Standby), "SNMP does not tell of what stands by")
	assert.True(t, r.Device.Knows(observed.Links), "lists of stand-ins do, and so does SNMP")
	assert.Empty(t, compare.Compare(net, []*observed.Device{r.Device}).Differences)
	dead := w["netconf"]
	dead.At = "127.0.0.1:1"
	r = ask(t, o, live.Target{Name: "middle", Ways: []access.Way{dead, w["snmp 2c"]}})[0]
	require.NotNil(t, r.Device)
	assert.Equal(t, live.Refused, r.Failures[0].Reason)
}

// What a device saved is told apart from what runs.
func TestWhatIsSavedIsTold(t *testing.T) {
	t.Parallel()
	y, all, o := served(t, coretest.Network(t, rooms), standin.Options{})
	d, err := y.Running("desk")
	require.NoError(t, err)
	d.Interfaces[0].Admin = observed.Down
	require.NoError(t, y.Set("desk", d))
	for _, way := range []string{"netconf", "restconf"} {
		r := ask(t, o, live.Target{Name: "desk", Ways: []access.Way{ways(all[2])[way]}})[0]
		assert.Equal(t, observed.Down, r.Device.Interfaces[0].Admin, way)
		require.NotNil(t, r.Saved, way)
		assert.Equal(t, observed.Up, r.Saved.Interfaces[0].Admin, way)
	}
}

// Why a device does not answer is told, each reason by its name; a secret is in none of it.
func TestReasons(t *testing.T) {
	t.Parallel()
	_, all, o := served(t, coretest.Network(t, rooms), standin.Options{})
	silent, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	defer silent.Close()
	w := ways(all[0])
	change := func(name string, f func(*access.Way)) access.Way {
		x := w[name]
		f(&x)
		return x
	}
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "wrong"), []byte("wrong-wrong-wrong"), 0o600))
	wrong := file(filepath.Join(dir, "wrong"))
	for want, way := range map[live.Reason]access.Way{
		live.Refused:   change("netconf", func(w *access.Way) { w.At = "127.0.0.1:1" }),
		live.Unreached: change("snmp 2c", func(w *access.Way) { w.At = silent.LocalAddr().String() }),
		live.Login:     change("lists", func(w *access.Way) { w.Password = wrong }),
		live.NoSecret:  change("snmp 3", func(w *access.Way) { w.Auth = file("gone") }),
		live.NoAddress: change("snmp 3", func(w *access.Way) { w.At = "" }),
		live.NotRead:   change("netconf", func(w *access.Way) { w.By, w.Gear = "lists", "" }),
	} {
		if want == live.NotRead {
			o.Gear = func(string) (*wire.Gear, error) {
				return wire.ReadGear([]byte("ropeswing-map: 1\nask: [nonsense]\ntables: [{heading: [a], fields: {interface: a}}]\n"), nil)
			}
		}
		r := ask(t, o, live.Target{Name: "middle", Ways: []access.Way{way}})[0]
		require.NotEmpty(t, r.Failures, want)
		assert.Equal(t, want, r.Failures[0].Reason, "%v", r.Failures[0].Err)
		assert.NotContains(t, fmt.Sprint(r.Failures), "wrong-wrong-wrong")
	}
	r := ask(t, o, live.Target{Name: "middle",
		Ways: []access.Way{change("snmp 3", func(w *access.Way) { w.Privacy = wrong; w.Auth = wrong })}})[0]
	assert.Equal(t, live.Login, r.Failures[0].Reason, "%v", r.Failures[0].Err)
	require.NoError(t, os.WriteFile(o.Hosts[0], []byte(strings.ReplaceAll(all[1].HostKey, "\n", "")), 0o600))
	for way, key := range map[string][3]string{"netconf": {all[0].SSH, all[0].HostKey, all[1].HostKey},
		"restconf": {all[0].Web, all[0].WebKey, all[1].WebKey}} {
		require.NoError(t, os.WriteFile(o.Hosts[0], []byte(wire.KnownHost(key[0], key[2])+"\n"), 0o600))
		assert.Equal(t, live.OtherKey, ask(t, o, live.Target{Name: "middle", Ways: []access.Way{w[way]}})[0].Failures[0].Reason, way)
		require.NoError(t, os.WriteFile(o.Hosts[0], nil, 0o600))
		new := ask(t, o, live.Target{Name: "middle", Ways: []access.Way{w[way]}})[0].Failures[0]
		assert.Equal(t, live.NewKey, new.Reason, way)
		assert.Contains(t, new.Key, strings.Fields(key[1])[1], way)
	}
}

// A login that is refused is tried once: nobody gets locked out.
func TestARefusedLoginIsNotTriedAgain(t *testing.T) {
	t.Parallel()
	_, all, o := served(t, coretest.Network(t, rooms), standin.Options{Trouble: "refuse"})
	w := ways(all[0])
	r := ask(t, o, live.Target{Name: "middle", Ways: []access.Way{w["netconf"], w["lists"], w["restconf"], w["restconf"]}})[0]
	require.Len(t, r.Failures, 4)
	for _, n := range []int{0, 2} {
		assert.Equal(t, live.Login, r.Failures[n].Reason)
		assert.Contains(t, r.Failures[n+1].Err.Error(), "not tried again")
	}
	o.Logins = &live.Logins{} // and not by the next run that remembers it
	for n := range 2 {
		again := ask(t, o, live.Target{Name: "middle", Ways: []access.Way{w["netconf"]}})[0]
		assert.Equal(t, n == 1, strings.Contains(again.Failures[0].Err.Error(), "not tried again"), "run %d", n)
	}
}

// Whatever trouble a device makes, what is told of it is as it is, or not known; and an end is
// made in time.
func TestTroubleNeverMakesAWrongState(t *testing.T) {
	t.Parallel()
	net := coretest.Network(t, rooms)
	for _, trouble := range []string{"cut", "silent", "pieces", "cut,silent,pieces"} {
		for seed := range uint64(4) {
			_, all, o := served(t, net, standin.Options{Trouble: trouble, Seed: seed})
			o.Patience = 300 * time.Millisecond
			var targets []live.Target
			for _, s := range all {
				w := ways(s)
				targets = append(targets, live.Target{Name: s.Name, Ways: []access.Way{w["netconf"], w["restconf"], w["snmp 3"], w["lists"]}})
			}
			begin := time.Now()
			var found []*observed.Device
			for _, r := range ask(t, o, targets...) {
				if r.Device != nil {
					found = append(found, r.Device)
				}
			}
			if d := compare.Compare(net, found).Differences; len(d) > 0 {
				var by []string
				for _, x := range found {
					by = append(by, fmt.Sprint(x.Name, x.Sources, x.Known, len(x.Interfaces)))
				}
				assert.Fail(t, "a wrong state", "%s, seed %d: %s %s %s, of %s", trouble, seed, d[0].Device, d[0].What, d[0].Subject,
					strings.Join(by, "\n"))
			}
			assert.Less(t, time.Since(begin), 30*time.Second)
		}
	}
}

// BenchmarkAsk asks 1,000 devices by SNMP, of which 100 are silent: sockets that nobody answers
// on.
func BenchmarkAsk(b *testing.B) {
	var text strings.Builder
	text.WriteString("segments:\n")
	for n := range 91 {
		fmt.Fprintf(&text, "  s%d: {prefix: 10.2.%d.0/24}\n", n, n)
	}
	text.WriteString("devices:\n")
	for n := range 900 {
		fmt.Fprintf(&text, "  r%d: {is: router, loopback: 10.1.%d.%d, interfaces: {e: {segment: s%d, address: %d}, f: {segment: s%d, "+
			"address: %d}}, routes: {10.3.0.0/16: 10.2.%d.%d, 10.4.0.0/16: {discard: true}}}\n", n, n/250, n%250+1, n/10, n%10+1, n/10+1,
			n%10+101, n/10, (n+1)%10+1)
	}
	_, all, o := served(b, coretest.Network(b, text.String()), standin.Options{})
	var targets []live.Target
	for _, s := range all {
		targets = append(targets, live.Target{Name: s.Name, Ways: []access.Way{ways(s)["snmp 2c"]}})
	}
	for n := range 100 {
		c, err := net.ListenPacket("udp", "127.0.0.1:0")
		require.NoError(b, err)
		defer c.Close()
		targets = append(targets, live.Target{Name: fmt.Sprint("silent-", n),
			Ways: []access.Way{{By: access.SNMP, Version: "2c", At: c.LocalAddr().String(), Community: file("community")}}})
	}
	o.Patience = live.Polite.Patience
	for b.Loop() {
		answered := 0
		for _, r := range ask(b, o, targets...) {
			if r.Device != nil {
				answered++
			}
		}
		require.Equal(b, 900, answered)
	}
}

// A RESTCONF server of another kind: JSON only, no datastores of RFC 8527, a root of its own.
func TestRestconfOfAnotherKind(t *testing.T) {
	t.Parallel()
	const about = `{"ietf-interfaces:interfaces":{"interface":[{"name":"e0","type":"iana-if-type:ethernetCsmacd","enabled":true,"oper-status":"up","ietf-ip:ipv4":{"address":[{"ip":"192.0.2.1","prefix-length":24}]}}]}}`
	asked := ""
	s := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked += r.URL.Path + "\n"
		switch r.URL.Path {
		case "/.well-known/host-meta":
			fmt.Fprint(w, `<XRD xmlns='http://docs.oasis-open.org/ns/xri/xrd-1.0'><Link rel='restconf' href='https://198.51.100.1/top/rest'/></XRD>`)
		case "/top/rest/data/ietf-interfaces:interfaces":
			w.Header().Set("Content-Type", "application/yang-data+json")
			fmt.Fprint(w, about)
		case "/top/rest/ds/ietf-datastores:operational/ietf-interfaces:interfaces":
			http.Error(w, "no", http.StatusBadRequest)
		default:
			http.NotFound(w, r)
		}
	}))
	defer s.Close()
	at := strings.TrimPrefix(s.URL, "https://")
	key, err := ssh.NewPublicKey(s.Certificate().PublicKey)
	require.NoError(t, err)
	dir := t.TempDir()
	hosts := filepath.Join(dir, "hosts")
	require.NoError(t, os.WriteFile(hosts, []byte(wire.KnownHost(at, strings.TrimSpace(string(ssh.MarshalAuthorizedKey(key))))+"\n"), 0o600))
	o := live.Polite
	o.Now, o.Hosts = time.Now, []string{hosts}
	o.Secret = func(*access.Secret, string) (string, error) { return "word", nil }
	r := ask(t, o, live.Target{Name: "box", Ways: []access.Way{{By: access.RESTCONF, At: at, User: "keeper", Password: file("x")}}})[0]
	require.NotNil(t, r.Device, "%v", r.Failures)
	assert.Empty(t, r.Failures)
	assert.Equal(t, "192.0.2.1/24", r.Device.Interfaces[0].Addresses[0].Prefix.String())
	assert.False(t, r.Device.Knows(observed.Routes4), "it has no routing")
	assert.NotContains(t, asked, "198.51.100.1")
}

// By each path that tells the time, when a device started and how far off its clock is.
func TestClocksAreTold(t *testing.T) {
	t.Parallel()
	for trouble, want := range map[string]int64{"": 0, "clock": 5400} {
		_, all, o := served(t, coretest.Network(t, rooms), standin.Options{Trouble: trouble})
		for _, way := range []string{"netconf", "restconf", "snmp 3", "snmp 2c"} {
			d := ask(t, o, live.Target{Name: "middle", Ways: []access.Way{ways(all[0])[way]}})[0].Device
			require.NotNil(t, d, way)
			assert.InDelta(t, want, d.ClockAhead, 2, way)
			started, err := time.Parse(time.RFC3339, d.Started)
			require.NoError(t, err, way)
			assert.WithinDuration(t, time.Now(), started, 10*time.Second, "%s: by the clock of who asks", way)
		}
	}
}

// What answers in two forms, or sends elsewhere, is not read.
func TestRestconfThatIsNotRead(t *testing.T) {
	t.Parallel()
	for about, answer := range map[string]http.HandlerFunc{
		"now in JSON, now in XML": func(w http.ResponseWriter, r *http.Request) {
			if strings.Contains(r.URL.Path, "routing") {
				w.Header().Set("Content-Type", "application/yang-data+xml")
				fmt.Fprint(w, `<routing xmlns="urn:ietf:params:xml:ns:yang:ietf-routing"/>`)
				return
			}
			w.Header().Set("Content-Type", "application/yang-data+json")
			fmt.Fprint(w, `{"ietf-interfaces:interfaces":{}}`)
		},
		"sends elsewhere": func(w http.ResponseWriter, r *http.Request) {
			http.Redirect(w, r, "https://198.51.100.1/", http.StatusFound)
		},
		"answers 500":        func(w http.ResponseWriter, r *http.Request) { http.Error(w, "no", http.StatusInternalServerError) },
		"neither interfaces": http.NotFound,
	} {
		s := httptest.NewTLSServer(answer)
		at := strings.TrimPrefix(s.URL, "https://")
		key, err := ssh.NewPublicKey(s.Certificate().PublicKey)
		require.NoError(t, err)
		hosts := filepath.Join(t.TempDir(), "hosts")
		require.NoError(t, os.WriteFile(hosts, []byte(wire.KnownHost(at, strings.TrimSpace(string(ssh.MarshalAuthorizedKey(key))))+"\n"),
			0o600))
		o := live.Polite
		o.Now, o.Hosts = time.Now, []string{hosts}
		o.Secret = func(*access.Secret, string) (string, error) { return "word", nil }
		r := ask(t, o, live.Target{Name: "box", Ways: []access.Way{{By: access.RESTCONF, At: at, User: "keeper", Password: file("x")}}})[0]
		s.Close()
		assert.Nil(t, r.Device, about)
		require.NotEmpty(t, r.Failures, about)
		assert.Contains(t, r.Failures[0].Err.Error(), about)
	}
}
