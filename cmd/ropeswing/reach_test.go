package main

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/demo"
)

func TestReachTellsWhoReachesWhom(t *testing.T) {
	dir := lights(t)
	r := run(t, dir, "reach")
	assert.Equal(t, 0, r.code, r.err)
	assert.Equal(t, "all 760 ways between 20 segments work · predicted from the plan\n", r.out, "20 × 19, in both families")
	assert.Equal(t, 0, run(t, dir, "reach", "--lost").code)

	// What a single ping says, reach says too: the two stand on the same walk.
	r = run(t, dir, "reach", "--from", "quay-manage", "--to", "tern-watch", "-p", demo.BadMorning, "-o", "json")
	assert.Equal(t, 0, r.code, "without --lost it is an answer, not a verdict")
	var v struct {
		Asked, Work int
		Ways        []struct{ From, To, Family, Source, Target, Verdict, Finding, Why string }
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &v))
	assert.Equal(t, 2, v.Asked)
	require.Len(t, v.Ways, 2)
	assert.Equal(t, "forwarding-loop", v.Ways[0].Finding)
	assert.Equal(t, "10.48.1.106", v.Ways[0].Source, "the laptop stands for its segment")
	assert.Equal(t, "10.48.3.2", v.Ways[0].Target)
	assert.Contains(t, oneLine(run(t, dir, "ping", v.Ways[0].Source, v.Ways[0].Target, "-p", demo.BadMorning).out), v.Ways[0].Why)
	assert.Equal(t, 1, run(t, dir, "reach", "--lost", "-p", demo.BadMorning).code)

	r = run(t, dir, "reach", "--lost", "--without", "beam-d", "-4", "-o", "csv")
	assert.Equal(t, 1, r.code)
	assert.Contains(t, r.out, "quay-staff,far-watch,ipv4,10.48.1.10,10.48.5.2,fails,forwarding-loop,\"its TTL runs out in a loop between quay-edge and gull-point")
	assert.NotContains(t, r.out, ",works,", "only what is lost")

	for args, message := range map[string]string{"--from quay-stuff": "did you mean quay-staff?", "--failures 3": "--failures is 1", "--without beam-x": "did you mean beam-", "-4 -6": "exclude each other", "x": "takes nothing"} {
		r = run(t, dir, append([]string{"reach"}, strings.Fields(args)...)...)
		assert.Equal(t, 2, r.code, args)
		assert.Contains(t, r.err, message)
	}
}

func TestARemedysCommandIsTypedAsItStands(t *testing.T) {
	dir := lights(t)
	r := run(t, dir, "check", "-p", demo.BadMorning)
	assert.Contains(t, oneLine(r.out), "see 'ropeswing -p bad-morning/skerry.plan.yaml ping 10.48.2.34'")
	assert.NotContains(t, r.out, "'ropeswing ping")
}

func TestEverySingleFailureIsTried(t *testing.T) {
	dir := lights(t)
	r := run(t, dir, "reach", "--failures", "1")
	assert.Equal(t, 0, r.code, r.err)
	assert.Equal(t, "7 of 12 single failures are survived as far as wires go · predicted from the plan", first(r.out))
	assert.Contains(t, r.out, "\nnext: ropeswing reach --lost --without beam-a\n")
	var v struct {
		Failures, Survived int
		Losses             []struct {
			Failure                      string
			Lost, Cannot, DoesNot, Loops int
			Ways                         []struct{ From, To string }
		}
	}
	require.NoError(t, json.Unmarshal([]byte(strings.ReplaceAll(run(t, dir, "reach", "--failures", "1", "-o", "json").out, "does_not", "doesnot")), &v))
	assert.Equal(t, 12, v.Failures, "cables to hosts are not tried: no way round is wanted there")
	found := map[string][4]int{}
	for _, l := range v.Losses {
		found[l.Failure] = [4]int{l.Lost, l.Cannot, l.DoesNot, l.Loops}
		assert.Len(t, l.Ways, l.Lost)
		assert.Equal(t, l.Lost, l.Cannot+l.DoesNot)
	}
	quay := found["quay-edge:lan0 to quay-core:up0"]
	assert.Equal(t, quay[0], quay[1], "the office hangs on one cable: there is no wire round it")
	assert.Equal(t, 19*2*2, found["beam-a"][1], "with a beam its own segment goes, to and from 19 others in both families; else a ring has a wire round")
	assert.Positive(t, found["beam-d"][3], "and the routes of two lights send to each other")
	assert.NotContains(t, found, "old-line", "which only stands by")
	assert.Equal(t, 1, run(t, dir, "reach", "--failures", "1", "--lost").code)
	assert.Contains(t, run(t, dir, "reach", "--failures", "1", "--devices", "-o", "csv").out, "mole-rtr,")
}
