package mib_test

import (
	"crypto"
	"encoding/hex"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/observed"
	"ropeswing/internal/mib"
)

func pointer[T any](v T) *T { return &v }

// device has everything that the tables tell of.
func device() *observed.Device {
	d := &observed.Device{Name: "pier-sw", Interfaces: []observed.Interface{
		{Name: "p1", Type: "ethernetCsmacd", Admin: observed.Up, Oper: observed.Up, MTU: 1500, Speed: 10_000_000_000, MAC: "02:00:00:00:00:01",
			Description: "to the office", Untagged: pointer(0), Tagged: []int{7, 4094}, Group: pointer("bundle")},
		{Name: "p2", Type: "ethernetCsmacd", Admin: observed.Down, Oper: observed.Down, MTU: 9000, Speed: 100_000_000, Untagged: pointer(7),
			Group: pointer("")},
		{Name: "p3", Type: "ethernetCsmacd", Admin: observed.Up, Oper: observed.Down, MTU: 1500, Speed: 1_000_000_000, Group: pointer("")},
		{Name: "bundle", Type: "ieee8023adLag", Admin: observed.Up, Oper: observed.Up, MTU: 1500, Speed: 1_000_000_000, Group: pointer("")},
		{Name: "lo0", Type: "softwareLoopback", Admin: observed.Up, Oper: observed.Up, MTU: 1500, Group: pointer("")},
		{Name: "v7", Type: "l3ipvlan", Admin: observed.Up, Oper: observed.Up, MTU: 1500, Group: pointer("")},
	}}
	for i, text := range map[int]string{2: "192.0.2.1/31", 4: "10.0.0.1/32", 5: "10.0.7.1/24"} {
		d.Interfaces[i].Addresses = append(d.Interfaces[i].Addresses, observed.Address{Prefix: netip.MustParsePrefix(text), Origin: "static"})
	}
	d.Interfaces[5].Addresses = append(d.Interfaces[5].Addresses,
		observed.Address{Prefix: netip.MustParsePrefix("2001:db8:7::1/64"),
			Origin: "static"}, observed.Address{Prefix: netip.MustParsePrefix("fe80::1/64"), Origin: "link-layer"})
	yes := pointer(true)
	d.Routes = []observed.Route{
		{To: netip.MustParsePrefix("0.0.0.0/0"), NextHop: netip.MustParseAddr("192.0.2.0"), Interface: "p3", Source: "static",
			Metric: pointer(5), Active: yes},
		{To: netip.MustParsePrefix("10.9.0.0/16"), Discard: true, Source: "static", Active: yes},
		{To: netip.MustParsePrefix("10.0.7.0/24"), Interface: "v7", Source: "direct", Active: yes},
		{To: netip.MustParsePrefix("2001:db8::/32"), NextHop: netip.MustParseAddr("2001:db8:7::9"), Interface: "v7", Source: "static",
			Active: yes},
		{To: netip.MustParsePrefix("172.16.0.0/12"), NextHop: netip.MustParseAddr("10.0.7.8"), Interface: "v7", Source: "learned", Active: yes},
	}
	d.Neighbours = []observed.Neighbour{{Address: netip.MustParseAddr("10.0.7.9"), MAC: "02:00:00:00:00:09", Interface: "v7"},
		{Address: netip.MustParseAddr("2001:db8:7::9"), MAC: "02:00:00:00:00:09", Interface: "v7"}}
	d.MACs = []observed.MACEntry{{MAC: "02:00:00:00:00:09", Interface: "p2", VLAN: 7}}
	d.Links = []observed.Link{{Interface: "p1", Device: "office-sw", Port: "p24"}}
	d.Learn(observed.Interfaces, observed.Addresses4, observed.Addresses6, observed.VLANs, observed.Routes4, observed.Routes6,
		observed.Neighbours, observed.MACs, observed.Links)
	return d
}

func wholly(mib.OID) bool { return true }

// What a device says is what is read from it, to the last field.
func TestWhatIsSaidIsRead(t *testing.T) {
	want := device()
	rows := mib.Say(want, mib.About{Description: "a switch", Forwards: true, Ticks: 4321})
	require.True(t, slices.IsSortedFunc(rows, func(a, b mib.Row) int { return a.OID.Compare(b.OID) }), "in the order of a walk")
	got, system, unread := mib.Read("pier-sw", rows, wholly)
	assert.Empty(t, unread)
	assert.Equal(t, mib.System{Name: "pier-sw", Description: "a switch", Ticks: 4321}, system)
	assert.Equal(t, want.Known, got.Known)
	for i := range want.Interfaces {
		assert.ElementsMatch(t, want.Interfaces[i].Addresses, got.Interfaces[i].Addresses)
		want.Interfaces[i].Addresses, got.Interfaces[i].Addresses = nil, nil
	}
	assert.Equal(t, want.Interfaces, got.Interfaces)
	for i := range got.Routes {
		if got.Routes[i].Metric == nil {
			continue
		}
		assert.Equal(t, 5, *got.Routes[i].Metric)
	}
	assert.ElementsMatch(t, want.Routes, got.Routes)
	assert.ElementsMatch(t, want.Neighbours, got.Neighbours)
	assert.Equal(t, want.MACs, got.MACs)
	assert.Equal(t, want.Links, got.Links)
}

// A tree that was not walked to its end tells nothing that could be taken for all.
func TestWhatWasNotWalkedToItsEndIsNotKnown(t *testing.T) {
	rows := mib.Say(device(), mib.About{})
	for _, broken := range mib.Trees {
		got, _, _ := mib.Read("x", rows, func(o mib.OID) bool { return o.Compare(broken) != 0 })
		for _, part := range mib.Parts(broken) {
			assert.False(t, got.Knows(part), "%s of %s", part, broken)
		}
	}
}

// A route, an address or an interface that cannot be read makes its part not known.
func TestWhatIsNotUnderstoodMakesItsPartUnknown(t *testing.T) {
	rows := mib.Say(device(), mib.About{})
	oid, err := mib.ParseOID(".1.3.6.1.2.1.4.24.7.1.7.1.4.10.0")
	require.NoError(t, err)
	got, _, unread := mib.Read("x", append(slices.Clone(rows), mib.Row{OID: oid, Value: mib.Value{Number: 3}}), wholly)
	assert.NotEmpty(t, unread)
	assert.False(t, got.Knows(observed.Routes4))
	oid, err = mib.ParseOID(".1.3.6.1.2.1.4.34.1.3.1.4.10.1.1.1")
	require.NoError(t, err)
	got, _, unread = mib.Read("x", append(slices.Clone(rows), mib.Row{OID: oid, Value: mib.Value{Number: 99}}), wholly)
	assert.NotEmpty(t, unread)
	assert.False(t, got.Knows(observed.Addresses4))
	assert.True(t, got.Knows(observed.Addresses6))
}

func FuzzRead(f *testing.F) {
	f.Add([]byte{1, 2, 3, 4})
	rows := mib.Say(device(), mib.About{})
	f.Fuzz(func(t *testing.T, b []byte) {
		all := slices.Clone(rows)
		for i := 0; i+3 < len(b); i += 4 { // numbers of some rows are others
			r := &all[(int(b[i])<<8|int(b[i+1]))%len(all)]
			r.OID = slices.Clone(r.OID)
			r.OID[int(b[i+2])%len(r.OID)] = uint32(b[i+3]) * 0x01010101
			r.Value.Number = int64(b[i+3]) - 100
		}
		d, _, _ := mib.Read("x", all, wholly)
		if d == nil {
			t.Fatal("no device")
		}
	})
}

// The examples of RFC 3414 A.3.2 and, for SHA-256, of what Python's hashlib makes of the same words.
func TestKeysOfPassphrases(t *testing.T) {
	engine := "\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x00\x02"
	assert.Equal(t, "6695febc9288e36282235fc7151f128497b38f3f", hex.EncodeToString(mib.LocalKey(crypto.SHA1, "maplesyrup", engine)))
	assert.Equal(t, "8982e0e549e866db361a6b625d84cccc11162d453ee8ce3a6445c2d6776f0f8b",
		hex.EncodeToString(mib.LocalKey(crypto.SHA256, "maplesyrup", engine)))
	assert.NotEmpty(t, mib.LocalKey(crypto.SHA256, "", engine))
}
