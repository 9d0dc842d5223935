package policy_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/policy"
)

// Who is what beyond a translation, for each kind, and what is left to take.
func TestPairsOfEachKind(t *testing.T) {
	const text = `
blocks: {home: [10.0.0.0/16, "2001:db8::/32"]}
segments: {a: {prefix: [10.0.1.0/24, "2001:db8:1::/64"]}, b: {prefix: 10.0.2.0/24}, out: {prefix: 198.51.100.0/28}}
devices:
  f: {is: firewall, translates: [SENTENCE], interfaces: {a: {segment: a, address: 1}, b: {segment: b, address: 1}, w: {segment: out, address: 2}}}
  one: {is: host, interfaces: {e: {segment: a, address: 10}}}
  two: {is: host, interfaces: {e: {segment: a, address: 11}}}
  far: {is: host, interfaces: {e: {segment: b, address: 10}}}
`
	for sentence, want := range map[string]struct{ pairs, free string }{
		"one is 198.51.100.5 beyond w":                   {"one 10.0.1.10/32 198.51.100.5", ""},
		"a is 198.51.100.0/24 beyond w":                  {"- 10.0.1.0/24 198.51.100.0-198.51.100.255", ""},
		"a shares w":                                     {"- 10.0.1.0/24 198.51.100.2", ""},
		"home shares w":                                  {"- 10.0.0.0/16 198.51.100.2", ""},
		"anyone shares w":                                {"anyone 198.51.100.2", ""},
		"b shares 198.51.100.9 beyond w":                 {"- 10.0.2.0/24 198.51.100.9", ""},
		"a takes 198.51.100.5..198.51.100.7 beyond w":    {"one 10.0.1.10/32 198.51.100.5; two 10.0.1.11/32 198.51.100.6", "198.51.100.7"},
		"home takes 198.51.100.5..198.51.100.6 beyond w": {"one 10.0.1.10/32 198.51.100.5; two 10.0.1.11/32 198.51.100.6; far 10.0.2.10/32 none", ""},
		"b takes 198.51.100.5..198.51.100.9 beyond w":    {"far 10.0.2.10/32 198.51.100.5", "198.51.100.6-198.51.100.9"},
	} {
		spec := coretest.Spec(t, strings.Replace(text, "SENTENCE", sentence, 1))
		f, _ := spec.DeviceNamed("f")
		p := policy.New(spec)
		translation := &spec.Devices[f].Translates[0]
		word := func(first, last string) string {
			if first == last {
				return first
			}
			return first + "-" + last
		}
		var pairs, free []string
		for _, x := range p.Pairs(f, translation) {
			host, to := "-", "none"
			if x.Host != model.None {
				host = spec.Devices[x.Host].Name
			}
			if x.Outside.First.IsValid() {
				to = word(x.Outside.First.String(), x.Outside.Last.String())
			}
			if x.Anyone {
				pairs = append(pairs, "anyone "+to)
				continue
			}
			pairs = append(pairs, host+" "+x.Inside.String()+" "+to)
		}
		for _, r := range p.Free(f, translation) {
			free = append(free, word(r.First.String(), r.Last.String()))
		}
		assert.Equal(t, want.pairs, strings.Join(pairs, "; "), sentence)
		assert.Equal(t, want.free, strings.Join(free, "; "), sentence)
	}
}
