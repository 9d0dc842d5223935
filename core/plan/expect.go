package plan

import (
	"strings"

	"go.yaml.in/yaml/v4"

	"ropeswing/core/finding"
)

// expect reads what a live look is to find of a device: 'silent', or 'silent until' a day.
func (r *reader) expect(d *Device, n *yaml.Node, what string) {
	t, ok := r.word(n, what)
	if !ok {
		return
	}
	words := strings.Fields(t.Value)
	if len(words) == 0 || words[0] != "silent" || len(words) != 1 && (len(words) != 3 || words[1] != "until") {
		r.report(finding.New(finding.BadValue, t.Place, "%s is 'silent', or 'silent until 2027-03-31', not %s", what, t.Value))
		return
	}
	if len(words) == 3 {
		if !r.isDay(t, words[2], "the day that a silence ends") {
			return
		}
		d.Until = Text{Value: words[2], Place: t.Place}
	}
	d.Silent = Text{Value: words[0], Place: t.Place}
}
