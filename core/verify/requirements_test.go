package verify_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
)

const ringWithHosts = `
wants: {links: true}
segments: {la: {prefix: 10.1.0.0/24}, lb: {prefix: 10.2.0.0/24}, lc: {prefix: 10.3.0.0/24}, ab: {prefix: 10.0.0.0/31}, bc: {prefix: 10.0.0.2/31}, ca: {prefix: 10.0.0.4/31}}
devices:
  a: {is: router, interfaces: {l: {segment: la, address: 1}, b: {segment: ab, address: first}, c: {segment: ca, address: first}}}
  b: {is: router, interfaces: {l: {segment: lb, address: 1}, a: {segment: ab, address: last}, c: {segment: bc, address: first}}}
  c: {is: router, interfaces: {l: {segment: lc, address: 1}, b: {segment: bc, address: last}, a: {segment: ca, address: last}}}
  ha: {is: host, interfaces: {p: {segment: la, address: 10}}}
  hb: {is: host, interfaces: {p: {segment: lb, address: 10}}}
  h2: {is: host, interfaces: {p: {segment: lb, address: 11}}}
cables: [x-ab: a:b to b:a, x-bc: b:c to c:b, x-ca: c:a to a:c]
groups: {hosts: [la, two], two: [hb, h2]}
`

func TestRequirements(t *testing.T) {
	for sentence, want := range map[string]string{
		"ha reaches hb":   "",
		"la reaches lc":   "",
		"ha, hb reach lc": "",
		"ha, hb, and h2 reach la and lc over icmp":        "",
		"ha and 10.9.9.9 do not reach 10.9.8.8, 10.9.9.9": "",
		"la, ha do not reach two and hb": "la, ha do not reach two and hb: ha (10.1.0.10) to hb (10.2.0.10) gets there, " +
			"by a, b; so for 2 of 2 pairs tried",
		"ha and hb reach 10.9.9.9": "ha and hb reach 10.9.9.9: ha (10.1.0.10) to 10.9.9.9: on the forward path, a " +
			"has no route to 10.9.9.9; so for 2 of 2 pairs tried",
		"everyone reaches everyone without x-ab": "everyone reaches everyone without x-ab: c (10.3.0.1) to a (10.0.0.0): on the " +
			"forward path, a:b is down: the cable x-ab is down; so for 48 of 98 pairs tried",
		"hosts reaches hosts without x-ab without lc": "",
		"ha reaches hb without x-ab without x-ca": "ha reaches hb without x-ab without x-ca: ha (10.1.0.10) to hb (10.2.0.10): on " +
			"the forward path, a:b is down: the cable x-ab is down",
		"ha reaches hb through a through b":    "",
		"ha reaches hb through c":              "ha reaches hb through c: ha (10.1.0.10) to hb (10.2.0.10) does not go through c",
		"ha reaches hb without x-ab through c": "",
		"la does not reach two": "la does not reach two: ha (10.1.0.10) to hb (10.2.0.10) gets there, by a, b; " +
			"so for 2 of 2 pairs tried",
		"ha does not reach 10.9.9.9": "",
		"ha does not reach lc": "ha does not reach lc: ha (10.1.0.10) to c (10.3.0.1) gets there, by a; lc has " +
			"no host, and its router stands for it",
		"hosts does not reach lc without c": "",
		"ha reaches 10.9.9.9": "ha reaches 10.9.9.9: ha (10.1.0.10) to 10.9.9.9: on the forward path, a has no " +
			"route to 10.9.9.9",
		"10.9.9.9 reaches ha": "10.9.9.9 reaches ha: there is nobody to try it with; the two have no addresses " +
			"of one family",
		"ha reaches hb without any one cable": "",
		"ha reaches hb without x-bc without any one cable": "ha reaches hb without x-bc without any one cable: without x-ab: ha (10.1.0.10) " +
			"to hb (10.2.0.10): on the forward path, c:b is down: the cable x-bc is down",
		"la reaches lc without any one device": "la reaches lc without any one device: without a: ha (10.1.0.10) to c " +
			"(10.3.0.1): on the forward path, the next hop 10.1.0.1 of ha does not answer",
		"ha reaches hb without any one device": "ha reaches hb without any one device: without a: ha (10.1.0.10) to hb (10.2.0.10)",
		"ha reaches hb without x-xy":           "there is no cable, device, segment or interface called x-xy; did you mean x-ab?",
	} {
		got := checked(t, ringWithHosts+"must: [\""+sentence+"\"]")
		if want == "" {
			assert.Empty(t, got, sentence)
			continue
		}
		if sentence == "everyone reaches everyone without x-ab" {
			assert.Len(t, got, 1, sentence)
			assert.Contains(t, got[0], "requirement-unmet")
			assert.Contains(t, got[0], "the cable x-ab is down; so for ")
			continue
		}
		if assert.Len(t, got, 1, sentence) {
			assert.Contains(t, got[0], want, sentence)
		}
	}
	for sentence, want := range map[string]string{
		"ha reach hb":                         "a requirement is 'A reaches B'",
		"ha reaches hb without":               "a requirement is 'A reaches B'",
		"ha, reaches hb":                      "a requirement is 'A reaches B'",
		"ha and reach hb":                     "a requirement is 'A reaches B'",
		"and ha reach hb":                     "a requirement is 'A reaches B'",
		"ha, hb reach":                        "a requirement is 'A reaches B'",
		"ha, hb reach h2,":                    "a requirement is 'A reaches B'",
		"ha hb reach h2":                      "a requirement is 'A reaches B'",
		"ha, hd reach hb":                     "called hd",
		"ha reaches hb quickly please":        "a requirement is 'A reaches B'",
		"ha reaches hb without any one thing": "a requirement is 'A reaches B'",
		"ha reaches hb without any one":       "a requirement is 'A reaches B'",
		"ha reaches hd":                       "did you mean h",
		"ha reaches hb through x":             "there is no device called x",
	} {
		_, _, found := coretest.Resolve(ringWithHosts + "must: [\"" + sentence + "\"]")
		if assert.NotEmpty(t, found, sentence) {
			assert.Contains(t, found[0].Reason+" "+found[0].Remedy, want, sentence)
		}
	}
}

// Groups are checked where they are written, used or not; patterns in them stand for what
// they stand for elsewhere.
func TestGroupsAreCheckedWhereTheyAreWritten(t *testing.T) {
	for groups, want := range map[string]string{
		"loop: round, round: loop": "the group loop is in itself, by loop, round",
		"few: [ha, nobody]":        "there is no segment, device, block, address or group called nobody",
		"few: [10.1.0.1/24]":       "10.1.0.1/24 is an address in a subnet, and a subnet is meant",
		"few: h-(1..3)": "there is no segment, device, block, address or group called h-1; there is no segment, device, block, " +
			"address or group called h-2; there is no segment, device, block, address or group called h-3",
		"few: [ha, h(2..2), 10.9.9.9, everyone, 10.1.0.0/24]": "",
	} {
		_, _, found := coretest.Resolve(strings.Replace(ringWithHosts, "groups: {", "groups: {"+groups+", ", 1))
		var all []string
		for _, f := range found {
			all = append(all, f.Reason)
		}
		assert.Equal(t, want, strings.Join(all, "; "), groups)
	}
	assert.Empty(t, checked(t, strings.Replace(ringWithHosts, "groups: {", "groups: {few-(1..2): [h(2..2), hb], ", 1)+
		"must: [few-2 reaches ha]"))
}

// Where nobody says what is to reach what, and nothing else is wrong, dead pairs are told.
func TestDeadPairsNobodySpokeOfAreTold(t *testing.T) {
	dead := `
segments: {la: {prefix: 10.1.0.0/24}, lb: {prefix: 10.2.0.0/24}, lc: {prefix: 10.3.0.0/24}, ab: {prefix: 10.0.0.0/31}, bc: {prefix: 10.0.0.2/31}}
devices:
  a: {is: router, interfaces: {l: {segment: la, address: 1}, b: {segment: ab, address: first}}, routes: {lb: b}}
  b: {is: router, interfaces: {l: {segment: lb, address: 1}, a: {segment: ab, address: last}, c: {segment: bc, address: first}}, routes: {la: a, lc: c}}
  c: {is: router, interfaces: {l: {segment: lc, address: 1}, b: {segment: bc, address: last}}, routes: {lb: b}}
`
	got := checked(t, dead)
	if assert.Len(t, got, 1) {
		assert.Contains(t, got[0], "of 6 pairs of LANs do not reach each other, and the plan does not say that they must not; such as la to lc")
	}
	for about, said := range map[string]string{
		"an operator alone":           "operator: b\n",
		"a requirement of others":     "must: [la reaches lb]\n",
		"of one direction's opposite": "must: [la does not reach lb without ab]\n",
	} {
		assert.Contains(t, strings.Join(checked(t, dead+said), "\n"), "pairs-unsaid", about)
	}
	for about, said := range map[string]string{"nothing is required": "must: []\n", "it is meant": "must: [la does not reach lc]\n"} {
		if got := checked(t, dead+said); assert.Len(t, got, 1, about) {
			assert.Contains(t, got[0], "pairs-apart la: 2 of 6 pairs", about)
		}
	}
	assert.Empty(t, checked(t, strings.NewReplacer("routes: {lb: b}}\n  b:", "routes: {lb: b, lc: b}}\n  b:", "routes: {lb: b}}\n`", "",
		"last}}, routes: {lb: b}}", "last}}, routes: {lb: b, la: b}}").Replace(dead)), "all reach each other")
}
