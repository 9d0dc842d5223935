package view

import (
	"bytes"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

var colours = regexp.MustCompile("\x1b\\[[0-9;]*m")

// The first line of requirements by real pings: how many hold of those that a ping could try, and how many it
// could not; nothing measured is never well.
func TestLiveChecksFirstLine(t *testing.T) {
	type requirement struct {
		not     bool
		passed  string
		against []string
	}
	holds, fails := requirement{}, requirement{against: []string{"a"}}
	gets := requirement{not: true, against: []string{"b", "c"}}
	passed := requirement{passed: "a ping says nothing of udp/514"}
	for want, all := range map[string][]requirement{
		"2 of 2 requirements that start at desk hold · measured live":                                      {holds, holds},
		"1 of 1 requirement that starts at desk holds · measured live":                                     {holds},
		"1 of 2 requirements that start at desk hold · measured live":                                      {holds, fails},
		"1 of 3 requirements that start at desk hold, 1 not measured · measured live":                      {gets, holds, passed, fails},
		"nothing measured: a ping can try none of the requirements that start at desk (2) · measured live": {passed, passed},
		"nothing measured: a ping can try none of the requirements that start at desk (1) · measured live": {passed},
	} {
		v := NewLiveCheck("desk")
		for _, r := range all {
			v.Add("a reaches b", r.not, r.passed, 2, r.against)
		}
		var b bytes.Buffer
		v.Text(&b, 100)
		line, _, _ := strings.Cut(b.String(), "\n")
		assert.Equal(t, want, colours.ReplaceAllString(line, ""))
		for i, r := range v.Requirements {
			switch x := all[i]; {
			case x.passed != "":
				assert.Equal(t, "not measured", r.Outcome)
				assert.Equal(t, x.passed, r.Why)
			case len(x.against) == 0:
				assert.Equal(t, "holds", r.Outcome)
				assert.Empty(t, r.Why)
			case x.not:
				assert.Equal(t, "a reply of b, and 1 more", r.Why)
			default:
				assert.Equal(t, "no reply of a", r.Why)
			}
		}
	}
}
