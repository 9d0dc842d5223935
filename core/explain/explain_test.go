package explain

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/workspace"
)

const harbour = `ropeswing: 1
blocks: {quay: {prefix: 10.7.0.0/16, keep: 10.7.255.0/24}}
segments:
  crane: {hosts: 40, grow: 50%, vlan: auto, from: quay}
  kiosk: {hosts: 3, prefix: 10.7.9.0/28, leases: 8..12}
  link: {point-to-point: true, from: quay}
  bare: {vlan: 9}
vlans: 100..200
devices:
  pier: {is: router, loopback: 10.7.8.1, interfaces: {c: {segment: crane, address: first}, k: {segment: kiosk, address: 5, secondary: last}, l: {segment: link, address: first}}, routes: {default: {next-hop: 10.7.8.3, distance: 3}}}
  mole: {is: router, interfaces: {l: {segment: link, address: last}, e: {admin: down}}}
  winch: {is: switch, interfaces: {p1: {untagged: crane}}}
cables: [pier:c to winch:p1]
`

// Each kind of thing says what it is and where its numbers come from.
func TestWhereNumbersComeFrom(t *testing.T) {
	n := workspace.FromText("p.plan.yaml", []byte(harbour))
	require.True(t, n.Usable(), n.Read())
	for name, want := range map[string]string{
		"crane": "10.7.8.64/26, VLAN 100|need: 40 hosts|growth: 50 % more: 60|its own: 1 of routers and switches: 61 " +
			"addresses|rounding: the smallest subnet with so many usable addresses has length 26, and 62|block: quay, 10.7.0.0/16|ledger: " +
			"given just now; 'assign -w' keeps it",
		"kiosk":        "10.7.9.0/28|fixed: written in the plan",
		"link":         "10.7.8.2/31|need: length 31: a link between two devices (RFC 3021)",
		"bare":         "no subnet, VLAN 9",
		"quay":         "10.7.0.0/16|kept: 10.7.255.0/24",
		"pier:k":       "10.7.9.5/28, 10.7.9.14/28|rule: '5': the 5th usable of 14|rule: 'last': the 14th usable of 14; secondary",
		"pier:c":       "10.7.8.65/26|state: up|cabled to: winch:p1, which is up|hears: nobody",
		"mole:e":       "no address|state: down: administratively down",
		"winch:p1":     "no address: it is a switch port",
		"10.7.9.1":     "not assigned, in kiosk|place: the 1st usable of 14",
		"10.7.9.9":     "for hosts to lease, in kiosk",
		"10.7.9.15":    "not assigned, in kiosk|place: its broadcast address",
		"10.7.9.5":     "of pier:k",
		"10.7.8.2/31":  "of link|beside: behind pier:loopback (10.7.8.1), before free space (10.7.8.4 to 10.7.8.63)",
		"10.7.77.0/24": "free",
		"10.7.0.0/20":  "no segment's|overlaps: 10.7.8.64/26 of crane",
		"192.0.2.9":    "nobody's|block: in none of the plan's|scope: documentation (RFC 5737)",
	} {
		y, err := Explain(n, name)
		require.NoError(t, err, name)
		holds(t, y, name, want)
	}
	_, err := Explain(n, "pier:x")
	assert.ErrorContains(t, err, "pier has no interface called x")
}

// A lookup says what is done, by which route, and who answers at the next hop.
func TestWhatADeviceDoes(t *testing.T) {
	w := workspace.FromText("p.plan.yaml", []byte(harbour)).Predict()
	for address, want := range map[string]string{
		"192.0.2.9": "on to mole (10.7.8.3), out of l|decides: 0.0.0.0/0 static via 10.7.8.3, distance 3|next hop: 10.7.8.3, for which " +
			"10.7.8.2/31 decides|out of: l|answers: mole:l",
		"10.7.8.1": "delivered here",
		"10.7.9.9": "on to 10.7.9.9, out of k|then: nobody on the link answers for 10.7.9.9",
	} {
		y, err := Lookup(w, "pier", address)
		require.NoError(t, err, address)
		holds(t, y, address, want)
	}
	y, err := Lookup(w, "mole", "192.0.2.9")
	require.NoError(t, err)
	holds(t, y, "192.0.2.9", "no route|none: no route of the device matches 192.0.2.9")
}

// holds wants of an explanation its answer, and steps that it has among others.
func holds(t *testing.T, y Why, name, want string) {
	t.Helper()
	answer, rest, _ := strings.Cut(want, "|")
	assert.Equal(t, answer, y.Words(y.Answer), name)
	var steps []string
	for _, s := range y.State {
		steps = append(steps, s.About()+": "+y.Words(s.Told))
	}
	for _, o := range y.Numbers {
		for _, s := range o.Steps {
			steps = append(steps, s.About()+": "+y.Words(s.Told))
		}
	}
	for _, w := range strings.Split(rest, "|") {
		if w != "" {
			assert.Contains(t, steps, w, name)
		}
	}
}

// Every code has words.
func TestEveryCodeHasWords(t *testing.T) {
	for c := range Code(len(sentences)) {
		assert.NotEmpty(t, sentences[c].text, c)
	}
	assert.Len(t, sentences, int(TakesOver)+1)
}
