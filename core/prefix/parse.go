package prefix

import (
	"errors"
	"fmt"
	"math/bits"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/finding"
)

// tidy drops what comes along when an address is pasted: spaces, quotes,
// commas and semicolons at either end.
func tidy(text string) string { return strings.Trim(text, " \t\r\n\"'`,;") }

// Parse reads an address with its prefix length or mask, keeping the host
// bits: "10.48.1.77/27", "10.48.1.77 255.255.255.224",
// "10.48.1.77/255.255.255.224" or "2001:db8::1/64". A bare address gets the
// full length, 32 or 128, and whole is true. What comes along when pasting is
// forgiven. The error says what is wrong and what to write.
func Parse(text string) (p netip.Prefix, whole bool, err error) {
	text = tidy(text)
	address, length, found := strings.Cut(text, "/")
	if !found {
		address, length, found = strings.Cut(text, " ")
	}
	address, length = tidy(address), tidy(length)
	a, err := ParseAddress(address)
	if err != nil {
		return netip.Prefix{}, false, err
	}
	if !found {
		return netip.PrefixFrom(a, a.BitLen()), true, nil
	}
	n, err := parseLength(a, length)
	if err != nil {
		return netip.Prefix{}, false, err
	}
	return netip.PrefixFrom(a, n), false, nil
}

// ParseAddress reads one address without a length. IPv6 zones are refused.
func ParseAddress(text string) (netip.Addr, error) {
	a, err := netip.ParseAddr(text)
	switch {
	case err == nil && a.Zone() != "":
		return netip.Addr{}, fmt.Errorf("%q names a zone; write the address alone", text)
	case err == nil && a.Is4In6():
		return netip.Addr{}, fmt.Errorf("%q is an IPv4 address in IPv6 form; write %s", text, a.Unmap())
	case err == nil:
		return a, nil
	case strings.Contains(text, ":"):
		return netip.Addr{}, fmt.Errorf("%q is not an IPv6 address: %s", text, slipIn6(text))
	case text == "":
		return netip.Addr{}, fmt.Errorf("there is no address here; write one such as 10.48.1.1 or 2001:db8::1")
	}
	return netip.Addr{}, slip(nameOf4(text), "%q is not an address: %s", text, slipIn4(text))
}

// namedError is an error of a kind that has an entry of its own among the
// findings.
type namedError struct {
	name finding.Name
	text string
}

func (e *namedError) Error() string { return e.text }

func slip(name finding.Name, text string, args ...any) error {
	return &namedError{name, fmt.Sprintf(text, args...)}
}

// FindingOf is the finding that an error of this package is in a plan.
func FindingOf(err error) finding.Name {
	var e *namedError
	if errors.As(err, &e) {
		return e.name
	}
	return finding.BadAddress
}

// nameOf4 is what kind of slip is in a text that is not an IPv4 address.
func nameOf4(text string) finding.Name {
	parts := strings.Split(text, ".")
	switch {
	case len(parts) > 4:
		return finding.TooManyOctets
	case len(parts) == 3 && len(likely4(parts)) > 0:
		return finding.MissingDot
	}
	return finding.BadAddress
}

// slipIn4 says why a text is not an IPv4 address.
func slipIn4(text string) string {
	parts := strings.Split(text, ".")
	if guesses := likely4(parts); len(guesses) > 0 {
		return fmt.Sprintf("it has %s, and IPv4 has four%s", plural(len(parts), "number"), didYouMean(guesses...))
	}
	for _, part := range parts {
		n, err := strconv.Atoi(part)
		switch {
		case part == "":
			return "a number is missing between two dots"
		case err != nil:
			return fmt.Sprintf("%q is not a number; IPv4 is four numbers from 0 to 255 with dots between", part)
		case n > 255 || n < 0:
			return fmt.Sprintf("%s is more than 255", part)
		case len(part) > 1 && part[0] == '0':
			return fmt.Sprintf("%s has a leading zero, which some read as octal; write %d", part, n)
		}
	}
	if len(parts) != 4 {
		return fmt.Sprintf("it has %s, and IPv4 has four", plural(len(parts), "number"))
	}
	return "IPv4 is four numbers from 0 to 255 with dots between"
}

// slipIn6 says why a text is not an IPv6 address.
func slipIn6(text string) string {
	if strings.Count(text, "::") > 1 || strings.Contains(text, ":::") {
		return "'::' may stand in it once"
	}
	groups := strings.Split(text, ":")
	for _, g := range groups {
		if strings.Contains(g, ".") {
			continue
		}
		if _, err := strconv.ParseUint(g, 16, 64); err != nil && g != "" {
			return fmt.Sprintf("%q is not a hexadecimal number", g)
		}
		if len(g) > 4 {
			return fmt.Sprintf("the group %q has more than four digits", g)
		}
	}
	if len(groups) > 8 {
		return fmt.Sprintf("it has %d groups, and there are eight at most", len(groups))
	}
	if !strings.Contains(text, "::") {
		return fmt.Sprintf("it has %s; write eight, or '::' for a run of zeros", plural(len(groups), "group"))
	}
	return "write groups of up to four hexadecimal digits with ':' between, and '::' once for a run of zeros"
}

// parseLength reads a prefix length or, for IPv4, a mask.
func parseLength(a netip.Addr, text string) (int, error) {
	if a.Is4() && strings.Contains(text, ".") {
		m, err := ParseAddress(text)
		if err != nil {
			return 0, fmt.Errorf("%q is not a mask: %s", text, slipIn4(text))
		}
		return maskLength(m)
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < 0 || n > a.BitLen() || strings.HasPrefix(text, "+") {
		return 0, fmt.Errorf("%q is not a prefix length; %s has lengths from 0 to %d", text, family(a), a.BitLen())
	}
	return n, nil
}

// maskLength is the prefix length of an IPv4 mask.
func maskLength(m netip.Addr) (int, error) {
	n := uint32(Number(m).lo)
	length := bits.LeadingZeros32(^n)
	if n<<length != 0 {
		if inverse := bits.LeadingZeros32(n); inverse > 0 && ^n<<inverse == 0 {
			right := netip.PrefixFrom(m, inverse)
			return 0, slip(finding.InverseMask, "%s is an inverse mask; the mask is %s", m, Mask(right))
		}
		return 0, slip(finding.MaskNotContiguous, "%s is not a mask: its ones are not in one run%s", m, didYouMean(nearestMask(m, length)))
	}
	return length, nil
}

// nearestMask is the mask most like one that is none: that with the fewest
// letters different, else the one of the same leading ones.
func nearestMask(m netip.Addr, length int) string {
	var masks []string
	for l := 30; l >= 0; l-- { // nobody writes a mask for 31 or 32 by mistake
		masks = append(masks, Mask(netip.PrefixFrom(m, l)).String())
	}
	if near, ok := finding.Nearest(m.String(), masks); ok {
		return near
	}
	return Mask(netip.PrefixFrom(m, length)).String()
}

// didYouMean puts a guess into words; there may be none, or several.
func didYouMean(guesses ...string) string {
	if len(guesses) == 0 {
		return ""
	}
	var each []string // what was written may come down to one of them twice
	for _, g := range guesses {
		if !slices.Contains(each, g) {
			each = append(each, g)
		}
	}
	return "; did you mean " + strings.Join(each, " or ") + "?"
}

// likely4 guesses at an IPv4 address with too few numbers, one of which is two
// with the dot left out, or with one number twice.
func likely4(parts []string) []string {
	var guesses []string
	switch len(parts) {
	case 3:
		for i, p := range parts {
			for cut := 1; cut < len(p); cut++ {
				try := strings.Join(append(append(append([]string{}, parts[:i]...), p[:cut], p[cut:]), parts[i+1:]...), ".")
				if a, err := netip.ParseAddr(try); err == nil {
					guesses = append(guesses, a.String())
				}
			}
		}
	case 5:
		for i := 1; i < len(parts); i++ {
			if parts[i] == parts[i-1] {
				guesses = append(guesses, strings.Join(append(append([]string{}, parts[:i]...), parts[i+1:]...), "."))
			}
		}
	}
	if len(guesses) > 3 {
		return nil // anything could be meant
	}
	return guesses
}

func family(a netip.Addr) string {
	if a.Is4() {
		return "IPv4"
	}
	return "IPv6"
}

func plural(n int, word string) string {
	if n == 1 {
		return "1 " + word
	}
	return strconv.Itoa(n) + " " + word + "s"
}
