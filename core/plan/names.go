package plan

import (
	"net/netip"
	"slices"
	"strings"
	"unicode"

	"ropeswing/core/finding"
)

// reserved are the words of the sentences a plan holds; no device, segment,
// block or cable may be called by one.
var reserved = []string{
	"and", "answer", "any", "anyone", "between", "beyond", "default", "discard", "do", "does", "everyone", "first", "is", "itself", "last",
	"may", "no-ipv4", "no-ipv6", "none", "not", "over",
	"reach", "reaches", "refused", "shares", "takes", "through", "to", "via", "without",
}

// longestName is how many characters a name may have.
const longestName = 63

// checkName refuses names that would be read as something else.
func (r *reader) checkName(name Text, what string) {
	if wrong, bad := CheckName(name.Value); bad {
		r.report(finding.New(finding.BadName, name.Place, "%s cannot be called %s: it %s", what, name.Value, wrong))
	}
}

// CheckName tells what is wrong with a name of a device, segment, block or
// cable: it would be read as an address, as DEVICE:INTERFACE, as an option, a
// remark or a word of a sentence.
func CheckName(name string) (wrong string, bad bool) {
	_, addressErr := netip.ParseAddr(name)
	_, prefixErr := netip.ParsePrefix(name)
	switch {
	case strings.ContainsFunc(name, unicode.IsSpace):
		return "has a space in it", true
	case strings.Contains(name, ":"):
		return "has a colon in it, which stands between device and interface", true
	case strings.Contains(name, "/"):
		return "has a slash in it, which stands between address and length", true
	case addressErr == nil || prefixErr == nil:
		return "reads as an address", true
	case strings.HasPrefix(name, "-"):
		return "begins with a hyphen and would be read as an option", true
	case strings.HasPrefix(name, "#"):
		return "begins with a # and would be read as a remark", true
	case slices.Contains(reserved, name):
		return "is a word Rope Swing uses in sentences", true
	case len([]rune(name)) > longestName:
		return "is longer than 63 characters", true
	}
	return "", false
}

// checkInterfaceName is milder: interface names are whatever the equipment
// calls them.
func (r *reader) checkInterfaceName(name Text) {
	if wrong, bad := CheckInterfaceName(name.Value); bad {
		r.report(finding.New(finding.BadName, name.Place, "an interface cannot be called %s: it %s", name.Value, wrong))
	}
}

// CheckInterfaceName tells what is wrong with a name of an interface: little is, for the equipment calls it so.
func CheckInterfaceName(name string) (wrong string, bad bool) {
	switch {
	case strings.ContainsFunc(name, unicode.IsSpace):
		return "has a space in it", true
	case len([]rune(name)) > longestName:
		return "is longer than 63 characters", true
	}
	return "", false
}
