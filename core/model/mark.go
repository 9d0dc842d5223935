package model

import (
	"fmt"
	"strconv"
	"strings"
)

// Mark is what the sender of a packet asks for on its path, as its Differentiated Services field says (RFC 2474 §3): the code
// point and one; 0 is none that was said, of a packet that it has the usual one, 0.
type Mark uint8

// marks are the code points that have a name (RFC 2474 §4.2.2, RFC 2597 §6, RFC 3246 §2.7, RFC 5865 §6, RFC 8622 §1), by number.
var marks = [...]struct {
	point uint8
	name  string
}{{0, "cs0"}, {1, "le"}, {8, "cs1"}, {10, "af11"}, {12, "af12"}, {14, "af13"}, {16, "cs2"}, {18, "af21"}, {20, "af22"}, {22, "af23"},
	{24, "cs3"}, {26, "af31"}, {28, "af32"}, {30, "af33"}, {32, "cs4"}, {34, "af41"}, {36, "af42"}, {38, "af43"}, {40, "cs5"}, {44, "va"},
	{46, "ef"}, {48, "cs6"}, {56, "cs7"}}

// ParseMark reads a code point, by its name or its number.
func ParseMark(text string) (Mark, error) {
	for _, m := range marks {
		if m.name == strings.ToLower(text) {
			return Mark(m.point + 1), nil
		}
	}
	if n, err := strconv.ParseUint(text, 10, 8); err == nil && n < 64 {
		return Mark(n + 1), nil
	}
	return 0, fmt.Errorf("a mark is a number from 0 to 63, or a name such as ef, af41 or cs1, not %s", text)
}

func (m Mark) String() string {
	if m == 0 {
		return ""
	}
	for _, known := range marks {
		if known.point == m.CodePoint() {
			return known.name
		}
	}
	return strconv.Itoa(int(m) - 1)
}

// CodePoint is the number that a packet has, from 0 to 63.
func (m Mark) CodePoint() uint8 { return uint8(max(m, 1) - 1) }

// MarkNames are the names of code points, by number.
func MarkNames() []string {
	var all []string
	for _, m := range marks {
		all = append(all, m.name)
	}
	return all
}
