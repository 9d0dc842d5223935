package revise_test

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/coretest"
	"ropeswing/core/model"
	"ropeswing/core/plan"
	"ropeswing/core/revise"
	"ropeswing/core/workspace"
)

func predicted(t *testing.T, text string) *workspace.Workspace {
	t.Helper()
	n := workspace.FromText("a.plan.yaml", []byte(text))
	require.True(t, n.Usable(), n.Slips())
	return n.Predict()
}

// Routes of any one device can be written into the plan, or of all at once: nobody's routes become others by
// that. Pin itself refuses where they would.
func TestPinChangesNobodysRoutes(t *testing.T) {
	pinned := 0
	for seed := range coretest.Cases(10, 25) {
		r := rand.New(rand.NewPCG(uint64(seed), 91))
		text := "ropeswing: 1\n" + coretest.RandomNetwork(r, "{}")
		w := predicted(t, text)
		var all []model.DeviceID
		for id := range w.Spec.Devices {
			d := model.DeviceID(id)
			first, last := w.Spec.StaticsOf(d)
			if w.Spec.Devices[d].Kind != model.Router || first == last {
				continue
			}
			all = append(all, d)
			p, err := revise.Pin(w, []model.DeviceID{d})
			if assert.NoError(t, err, "network %d, %s", seed, w.Spec.Devices[d].Name) {
				assert.Equal(t, last-first, p.Routes)
				assert.Len(t, p.Files, 1)
				pinned++
			}
		}
		p, err := revise.Pin(w, all)
		require.NoError(t, err, "network %d", seed)
		again := predicted(t, string(plan.Apply(w.Document.File, p.Edits...)))
		for _, s := range again.Spec.Statics {
			assert.True(t, s.Origin == model.Written || again.Spec.Devices[s.Device].Kind != model.Router,
				"network %d: a route of %s is derived still", seed, again.Spec.Devices[s.Device].Name)
		}
	}
	assert.Greater(t, pinned, 50)
}

// What cannot be pinned is refused, each with its reason; what can keeps the plan's layout.
func TestWhatCanBePinned(t *testing.T) {
	const inn = `ropeswing: 1
wants: {}
segments:
  bar: {prefix: [10.1.0.0/24, "2001:db8:1::/64"]}
  attic: {prefix: 10.2.0.0/24}
  link: {prefix: [10.0.0.0/31, "2001:db8::/127"]}
  "hut-(1..2)": {prefix: 10.3.(n).0/24}
  "way-(1..2)": {prefix: 10.4.(n).0/31}
devices:
  front:
    is: router   # by the door
    interfaces: {b: {segment: bar, address: 1}, l: {segment: link, address: first}, "w(1..2)": {segment: way-(n), address: first}}
  back: {is: router, interfaces: {a: {segment: attic, address: 1}, l: {segment: link, address: last}}, routes: {203.0.113.0/24: 10.0.0.0}}
  "inn-(1..2)": {is: router, interfaces: {h: {segment: hut-(n), address: 1}, w: {segment: way-(n), address: last}}}
  cat: {is: host, at: bar, address: 9}
`
	text := strings.Replace(inn, "cat: {is: host, at: bar, address: 9}",
		"cat: {is: host, interfaces: {p: {segment: bar, address: 9}}, gateway: front}", 1)
	w := predicted(t, text)
	pin := func(name string) (string, error) {
		d, ok := w.Spec.DeviceNamed(name)
		require.True(t, ok, name)
		p, err := revise.Pin(w, []model.DeviceID{d})
		if err != nil {
			return "", err
		}
		return string(plan.Apply(w.Document.File, p.Edits...)), nil
	}
	_, err := pin("cat")
	assert.ErrorContains(t, err, "no route of cat is derived")
	after, err := pin("inn-1")
	require.NoError(t, err)
	assert.Contains(t, after, "\n  \"inn-1\": {is: router, interfaces: {h: {segment: hut-1, address: 1}, w: {segment: way-1, address: "+
		"last}}, routes: {", "after the pattern it is made from, an entry of its own")
	assert.Contains(t, after, "\n  \"inn-(1..2)\": {is: router, interfaces: {h: {segment: hut-(n), address: 1}", "the pattern stays")
	after, err = pin("front")
	require.NoError(t, err)
	assert.Contains(t, after, "  front:\n    is: router   # by the door\n", "comments stay")
	assert.Contains(t, after, "\n    routes:\n      10.2.0.0/24: {next-hop: 10.0.0.1, out: l}\n", "lines where the device has lines")
	after, err = pin("back")
	require.NoError(t, err)
	assert.Contains(t, after, "203.0.113.0/24: 10.0.0.0, ", "what was written stays")
	assert.Contains(t, after, `2001:db8:1::/64: {next-hop: "2001:db8::", out: l}`)

	without := predicted(t, strings.Replace(text, "wants: {}\n", "", 1))
	_, err = revise.Pin(without, []model.DeviceID{0})
	assert.ErrorContains(t, err, "the plan has no 'wants'")
}
