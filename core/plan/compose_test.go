package plan_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/plan"
)

// A gateway that a sheet says and no device gets is not dropped: it is a remark beside its segment.
func TestAGatewayThatNobodyHasIsARemark(t *testing.T) {
	s := plan.Start{Name: "farm", Segments: []plan.StartSegment{
		{Name: "yard", Prefixes: []netip.Prefix{netip.MustParsePrefix("10.2.0.0/24")}, Gateway: netip.MustParseAddr("10.2.0.25")},
		{Name: "hill", Prefixes: []netip.Prefix{netip.MustParsePrefix("2001:db8:2::/64")}, Gateway: netip.MustParseAddr("2001:db8:2::1")},
	}}
	for _, routers := range []bool{false, true} {
		s.Routers = routers
		text := string(plan.Compose(s))
		for _, a := range []string{"10.2.0.25", "2001:db8:2::1"} {
			assert.Contains(t, text, a)
			remark := "# its gateway is to be " + a + ", which no device has yet"
			if routers {
				assert.NotContains(t, text, remark)
			} else {
				assert.Contains(t, text, remark)
			}
		}
	}
}
