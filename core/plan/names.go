package plan

import (
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/finding"
)

// reserved are the words of the sentences a plan holds; no device, segment,
// block or cable may be called by one.
var reserved = []string{
	"default", "discard", "does", "everyone", "first", "last", "not", "over", "reach", "reaches", "through", "to", "via", "without", "between",
}

// longestName is how many characters a name may have.
const longestName = 63

// checkName refuses names that would be read as something else: as an
// address, as DEVICE:INTERFACE, as a number or as a word of a sentence.
func (r *reader) checkName(name Text, what string) {
	var wrong string
	_, addressErr := netip.ParseAddr(name.Value)
	_, prefixErr := netip.ParsePrefix(name.Value)
	switch {
	case strings.ContainsAny(name.Value, " \t"):
		wrong = "has a space in it"
	case strings.Contains(name.Value, ":"):
		wrong = "has a colon in it, which stands between device and interface"
	case strings.Contains(name.Value, "/"):
		wrong = "has a slash in it, which stands between address and length"
	case addressErr == nil || prefixErr == nil:
		wrong = "reads as an address"
	case strings.HasPrefix(name.Value, "-"):
		wrong = "begins with a hyphen and would be read as an option"
	case slices.Contains(reserved, name.Value):
		wrong = "is a word Rope Swing uses in sentences"
	case len([]rune(name.Value)) > longestName:
		wrong = "is longer than 63 characters"
	default:
		return
	}
	r.report(finding.New(finding.BadName, name.Place, "%s cannot be called %s: it %s", what, name.Value, wrong))
}

// checkInterfaceName is milder: interface names are whatever the equipment
// calls them.
func (r *reader) checkInterfaceName(name Text) {
	switch {
	case strings.ContainsAny(name.Value, " \t"):
		r.report(finding.New(finding.BadName, name.Place, "an interface cannot be called %s: it has a space in it", name.Value))
	case len([]rune(name.Value)) > longestName:
		r.report(finding.New(finding.BadName, name.Place, "an interface cannot be called %s: it is longer than 63 characters", name.Value))
	}
}
