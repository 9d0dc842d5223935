package model_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
)

// At which site each device stands: by the block that most of its own subnets lie in.
func TestSites(t *testing.T) {
	spec := coretest.Spec(t, `
blocks: {all: 10.0.0.0/8, north: 10.1.0.0/16, south: 10.2.0.0/16, pier: 10.2.128.0/17, six: "2001:db8::/32"}
segments:
  n1: {prefix: 10.1.1.0/24}
  n2: {prefix: 10.1.2.0/24}
  s1: {prefix: 10.2.1.0/24}
  p1: {prefix: 10.2.129.0/24}
  p2: {prefix: [10.2.130.0/24, "2001:db8:1::/64"]}
  v6: {prefix: "2001:db8:9::/64"}
  elsewhere: {prefix: 192.0.2.0/24}
  link: {prefix: 10.1.9.0/31}
devices:
  r-north: {is: router, loopback: 10.2.129.9, interfaces: {a: {segment: n1, address: 1}, b: {segment: n2, address: 1}, c: {segment: s1, address: 2}, l: {segment: link, address: first}}}
  r-south: {is: router, interfaces: {a: {segment: s1, address: 1}, l: {segment: link, address: last}}}
  r-pier: {is: router, interfaces: {a: {segment: p1, address: 1}, b: {segment: p2, address: 1}, c: {segment: n1, address: 9}}}
  r-six: {is: router, interfaces: {a: {segment: v6, address: 1}}}
  stray: {is: host, interfaces: {e: {segment: elsewhere, address: 9}}}
  bare:  {is: switch, interfaces: {p: {}}}
  clerk: {is: host, interfaces: {e: {segment: n2, address: 7}}}
  guest: {is: host, interfaces: {e: {segment: s1, address: 7}}}
  world: {is: world, beyond: 203.0.113.0/24, interfaces: {e: {segment: n2, address: 9}}}
`)
	want := map[string]string{"r-north": "north", "r-south": "", "r-pier": "pier", "r-six": "six", "stray": "", "bare": "", "guest": "",
		"clerk": "north", "world": ""}
	for d, b := range spec.Sites() {
		name := ""
		if b != model.None {
			name = spec.Blocks[b].Name
		}
		assert.Equal(t, want[spec.Devices[d].Name], name, spec.Devices[d].Name)
	}
}
