package observed

import (
	"errors"
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func at(text string) Address { return Address{Prefix: netip.MustParsePrefix(text)} }

func to(text string) Route { return Route{To: netip.MustParsePrefix(text)} }

func TestWhatIsWrittenIsReadAgain(t *testing.T) {
	vlan, distance, yes := 0, 110, true
	d := &Device{
		Name: "mole-rtr", Sources: []Source{{File: "mole-rtr.json", Format: "rfc7951", Taken: "2026-11-23T03:10:00Z",
			Saved: true}}, Known: Parts,
		Interfaces: []Interface{{Name: "beam0", Admin: Up, Oper: Down, MTU: 1500, Speed: 1e9,
			Addresses: []Address{{netip.MustParsePrefix("2001:db8:5ea:f1::3/127"), "static", true}}, Untagged: &vlan, Tagged: []int{120, 191}}},
		Routes: []Route{{To: netip.MustParsePrefix("10.48.3.0/24"), NextHop: netip.MustParseAddr("10.48.0.5"), Distance: &distance,
			Active: &yes}, {To: netip.MustParsePrefix("10.48.0.0/16"), Discard: true}},
		Neighbours: []Neighbour{{Address: netip.MustParseAddr("10.48.0.5"),
			MAC: "02:00:00:00:00:05"}}, MACs: []MACEntry{{MAC: "02:00:00:00:00:07", Interface: "p7", VLAN: 120}},
	}
	again, err := Decode(d.Encode())
	require.NoError(t, err)
	assert.Equal(t, d, again)
}

func TestFilesThatAreNoStateAreRefused(t *testing.T) {
	for text, says := range map[string]string{
		``:                         "it ends too soon",
		`[]`:                       "no file of a state",
		`{}`:                       "no file of a state",
		`{"device": "a", "x": 1}`:  "no state has a field",
		"{\n\"device\": \"a\",\n]": "line 3",
		`{"ropeswing_observed": 2, "device": "a"}`:                                                           "version 2",
		`{"ropeswing_observed": 1, "device": "../a"}`:                                                        "does not name its device",
		`{"ropeswing_observed": 1, "device": "a b"}`:                                                         "does not name its device",
		`{"ropeswing_observed": 1, "device": "a", "interfaces": [{"name": ""}]}`:                             "no name",
		`{"ropeswing_observed": 1, "device": "a", "interfaces": [{"name": "p"}, {"name": "p"}]}`:             "twice",
		`{"ropeswing_observed": 1, "device": "a", "interfaces": [{"name": "p", "oper_status": "sideways"}]}`: "neither up nor down",
		`{"ropeswing_observed": 1, "device": "a", "routes": [{"interface": "p"}]}`:                           "no destination",
		`{"ropeswing_observed": 1, "device": "a", "routes": [{"destination": "10.0.0.0/64"}]}`:               "10.0.0.0/64",
	} {
		d, err := Decode([]byte(text))
		if assert.Error(t, err, text) {
			assert.Contains(t, err.Error(), says, text)
			assert.Nil(t, d, text)
		}
	}
	_, err := Decode([]byte(`{"device": 7}`))
	assert.True(t, errors.Is(err, ErrNotState))
	assert.False(t, IsName(strings.Repeat("a", 256)))
}

func TestMergingReplacesWhatIsToldWholly(t *testing.T) {
	d := &Device{Name: "r", Sources: []Source{{File: "addr"}}, Known: []Part{Interfaces, Addresses4, Routes4, MACs},
		Interfaces: []Interface{{Name: "a", MTU: 9000, Addresses: []Address{at("10.0.0.1/24")}}},
		Routes:     []Route{to("10.1.0.0/16"), to("2001:db8::/32")}, MACs: []MACEntry{{MAC: "1"}}}
	d.Merge(&Device{Name: "r", Sources: []Source{{File: "more"}}, Known: []Part{Addresses4, Routes4, Neighbours},
		Interfaces: []Interface{{Name: "a", Admin: Down, Addresses: []Address{at("10.0.0.2/24")}},
			{Name: "b", Addresses: []Address{at("2001:db8::1/64")}}},
		Routes: []Route{to("10.2.0.0/16")}})
	assert.Equal(t, []Interface{{Name: "a", Admin: Down, MTU: 9000, Addresses: []Address{at("10.0.0.2/24")}},
		{Name: "b", Addresses: []Address{at("2001:db8::1/64")}}}, d.Interfaces, "what is left open stays")
	assert.Equal(t, []Route{to("2001:db8::/32"), to("10.2.0.0/16")}, d.Routes, "of the other family nothing was told")
	assert.Equal(t, []Part{Interfaces, Addresses4, Routes4, Neighbours, MACs}, d.Known, "in the order in which they are told")
	assert.Len(t, d.MACs, 1)
	assert.Len(t, d.Sources, 2)
}

func TestAFileReadAgainTakesItsOwnPlace(t *testing.T) {
	d := &Device{Name: "r", Sources: []Source{{File: "addr", Taken: "2026-11-22T03:00:00Z"}, {File: "route", Taken: "2026-11-22T03:00:00Z"}}}
	d.Merge(&Device{Name: "r", Sources: []Source{{File: "addr", Taken: "2026-11-23T03:00:00Z"},
		{File: "addr", Taken: "2026-11-23T03:00:00Z", Saved: true}}})
	assert.Equal(t, []Source{{File: "route", Taken: "2026-11-22T03:00:00Z"}, {File: "addr", Taken: "2026-11-23T03:00:00Z"},
		{File: "addr", Taken: "2026-11-23T03:00:00Z", Saved: true}}, d.Sources,
		"or a state would be as old as the first look at it")
}

// A device with very many interfaces is read as quickly as any.
func TestManyInterfacesAreFoundByName(t *testing.T) {
	d := &Device{Name: "big"}
	for range 2 {
		for i := range 100_000 {
			d.Interface(fmt.Sprint("p", i)).MTU = i
		}
	}
	assert.Len(t, d.Interfaces, 100_000)
	assert.Equal(t, 77_777, d.Interface("p77777").MTU)
	again, err := Decode(d.Encode())
	assert.NoError(t, err)
	assert.Equal(t, 99_999, again.Interface("p99999").MTU)
	assert.Len(t, again.Interfaces, 100_000)
}
