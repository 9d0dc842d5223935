package verify_test

import (
	"net/netip"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/derive"
	"ropeswing/core/finding"
	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/verify"
)

// checkedFully is the findings of a plan with its derived routes, and the network.
func checkedFully(t *testing.T, text string) ([]finding.Finding, *forward.Network) {
	t.Helper()
	spec := coretest.Spec(t, text)
	_, net, result := derive.Resolve(spec)
	return verify.Check(net, result), net
}

// What a remedy says of permits is typed into the plan: then nothing gets there any more, all else
// that is required holds, and the other side is answered as before.
func TestWhatIsToBeApartIsKeptApartByAPermit(t *testing.T) {
	word := regexp.MustCompile(`(?:add to the permits of (\w+)(?:, before its permit \d)?: ([^;]+)|let (\w+) pass '([^']+)'(?:, before its permit \d)?)(?:; then )?`)
	for _, x := range []struct{ must, with, want string }{
		{must: "la does not reach two", want: "let a pass 'la may answer two'; then add to the permits of a: la may not reach two"},
		{must: "la does not reach two over tcp/22", want: "add to the permits of a: la may not reach two over tcp/22"},
		{must: "ha does not reach 10.2.0.10",
			want: "let a pass 'ha may answer 10.2.0.10'; then add to the permits of a: ha may not reach 10.2.0.10"},
		{must: "hosts does not reach lc", want: ""}, // c's own address is not on its way to anybody
		{must: "ha, hb do not reach h2", want: ""},  // no one word
		{must: "ha does not reach hb:p", want: ""},  // no permit speaks of interfaces
		{must: "la does not reach two over tcp/443 without any one cable", want: "add to the permits of a: la may not reach two over tcp/443"},
		{must: "la does not reach two\", \"ha reaches hb over tcp/443", want: ""}, // nothing that is required is given up
		{must: "la does not reach two", with: "permits: [ha may reach h2], ",
			want: "let a pass 'la may answer two', before its permit 1; then add to the permits of a, before its permit 2: la may not reach two"},
	} {
		text := strings.Replace(ringWithHosts, "  a: {is: router, ", "  a: {is: router, "+x.with, 1)
		text = strings.Replace(text, "hb: {is: host, ", "hb: {is: host, answers: [ping, ssh, https], ", 1)
		must := "must: [\"" + x.must + "\"]"
		found, before := checkedFully(t, text+must)
		var remedies []string
		for _, f := range found {
			if f.Name == finding.RequirementUnmet {
				remedies = append(remedies, f.Remedy)
			}
		}
		if x.want == "" {
			assert.Empty(t, strings.Join(remedies, ""), x.must)
			continue
		}
		require.Equal(t, []string{x.want}, remedies, x.must)

		var permits []string
		for _, m := range word.FindAllStringSubmatch(x.want, -1) {
			assert.Equal(t, "a", m[1]+m[3])
			permits = append(permits, "\""+m[2]+m[4]+"\"")
		}
		if old := strings.TrimSuffix(strings.TrimPrefix(x.with, "permits: ["), "], "); old != "" {
			permits = append(permits, old)
		}
		typed := strings.Replace(text, "  a: {is: router, "+x.with, "  a: {is: router, permits: ["+strings.Join(permits, ", ")+"], ", 1)
		left, after := checkedFully(t, typed+must)
		for _, f := range left {
			assert.NotEqual(t, finding.RequirementUnmet, f.Name, "%s: %s", x.must, f.Reason)
		}
		for _, pair := range [][2]string{{"hb", "10.1.0.10"}, {"h2", "10.1.0.10"}, {"hb", "10.2.0.11"}} {
			works := func(net *forward.Network) forward.Verdict {
				d, ok := net.Spec.DeviceNamed(pair[0])
				require.True(t, ok)
				return forward.Ping(net, d, netip.Addr{}, netip.MustParseAddr(pair[1]), model.None).Verdict()
			}
			assert.Equal(t, works(before), works(after), "%s: %s to %s", x.must, pair[0], pair[1])
		}
	}
}

// One who is not answered anyway is no reason to leave the others unanswered.
func TestTheOtherSideIsAnsweredAsBeforeThoughNotAllAre(t *testing.T) {
	text := strings.Replace(ringWithHosts, "h2: {is: host, ", "h2: {is: host, gateway: none, ", 1) + "must: [la does not reach two]"
	found, _ := checkedFully(t, text)
	for _, f := range found {
		if f.Name == finding.RequirementUnmet {
			assert.Equal(t, "let a pass 'la may answer two'; then add to the permits of a: la may not reach two", f.Remedy)
			return
		}
	}
	t.Error("the requirement does not hold")
}
