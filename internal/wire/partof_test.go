package wire_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/observed"
	"ropeswing/internal/wire"
)

// A table of addresses or of VLANs only does not say which interfaces there are: what it does not
// name may be there all the same.
func TestATableOfAddressesDoesNotKnowAllInterfaces(t *testing.T) {
	for text, known := range map[string][]observed.Part{
		"device,interface,untagged,tagged\nsw,p1,7,\n":     {observed.VLANs},
		"device,interface,address\nsw,v,192.0.2.1/24\n":    {observed.Addresses4},
		"device,interface,oper\nsw,p1,up\n":                {observed.Interfaces},
		"device,interface,mtu,untagged\nsw,p1,1500,7\n":    {observed.Interfaces, observed.VLANs},
		"device,interface,group,tagged\nsw,p1,g,\"7 9\"\n": {observed.Interfaces, observed.VLANs},
	} {
		r, err := wire.Read([]byte(text), "", "")
		require.NoError(t, err, text)
		require.Len(t, r.Devices, 1)
		assert.ElementsMatch(t, known, r.Devices[0].Known, text)
	}
}
