package verify_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A router that sends itself is told by its own system that a link takes less: nothing vanishes. A host behind it is told
// by an error, unless the router may send none.
func TestASenderIsToldByItsOwnSystem(t *testing.T) {
	text := `
segments: {mill: {prefix: 10.31.0.0/24}, loft: {prefix: 10.31.1.0/24}, race: {prefix: 10.31.2.0/31}}
devices:
  m1: {is: router, interfaces: {l: {segment: mill, address: first}, r: {segment: race, address: first, mtu: 1400}}, routes: {loft: m2}}
  m2: {is: router, interfaces: {l: {segment: loft, address: first}, r: {segment: race, address: last, mtu: 1400}}, routes: {mill: m1}}
cables: [m1:r to m2:r]
`
	assert.Empty(t, checked(t, text))
	host := strings.Replace(text, "cables:", "  ox: {is: host, interfaces: {p: {segment: mill, address: 9}}, gateway: m1}\ncables:", 1)
	assert.Empty(t, checked(t, host), "m1 tells it")
	narrow := strings.Replace(host, "address: last, mtu: 1400", "address: last, mtu: 1300", 1)
	assert.Contains(t, strings.Join(checked(t, narrow), "\n"), "mtu-black-hole", "the far end drops what the near one sends")
}
