package main

import (
	"encoding/json"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/demo"
)

func TestReachTellsWhoReachesWhom(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "reach")
	assert.Equal(t, "890 of 924 paths between 12 LANs and 7 loopbacks work · predicted from the plan", first(r.Out),
		"22 × 21, in both families, for three LANs lie on two switches; visitors begin nothing to the 17 others but the log")
	assert.Contains(t, r.Out, "\n8 links between routers not asked: add --links\n")
	assert.Regexp(t, `^\d+ of 1740 paths between 12 LANs, 7 loopbacks and 8 links work`, first(run(t, dir, "reach", "--links").Out),
		"30 × 29, in both families")
	assert.Contains(t, oneLine(r.Out), "both fails; back works", "but are reached themselves")
	assert.Contains(t, oneLine(r.Out), "quay-core refuses icmp: its permit 2, 'quay-guest is refused home', skerry.plan.yaml:90",
		"told once for all")
	assert.Equal(t, 1, run(t, dir, "reach", "--lost").Code)
	assert.Equal(t, 0, run(t, dir, "reach", "--lost", "--from", "quay-guest", "--to", "quay-servers", "--over", "udp/514").Code)
	open := strings.NewReplacer("      - quay-guest is refused home\n", "").Replace(read(t, dir, demo.Plan))
	other := t.TempDir()
	write(t, other, "open.plan.yaml", strings.Replace(open, "quay-guest does not reach quay-manage", "quay-guest reaches quay-manage", 1))
	write(t, other, "open.ledger", read(t, dir, "skerry.ledger"))
	assert.Equal(t, "all 924 paths between 12 LANs and 7 loopbacks work · predicted from the plan", first(run(t, other, "reach").Out))

	// What a single ping says, reach says too: the two stand on the same walk.
	r = run(t, dir, "reach", "--from", "quay-manage", "--to", "tern-watch", "-p", demo.BadMorning, "-o", "json")
	assert.Equal(t, 0, r.Code, "without --lost it is an answer, not a verdict")
	var v struct {
		Asked, Work int
		Paths       []struct{ From, To, Family, Source, Target, Verdict, Finding, Why string }
	}
	require.NoError(t, json.Unmarshal([]byte(r.Out), &v))
	assert.Equal(t, 4, v.Asked, "from either place of it")
	require.Len(t, v.Paths, 4)
	assert.Equal(t, "forwarding-loop", v.Paths[0].Finding)
	assert.Equal(t, "10.48.1.106", v.Paths[0].Source, "the laptop stands for its segment")
	assert.Equal(t, "10.48.3.2", v.Paths[0].Target)
	assert.Contains(t, oneLine(run(t, dir, "ping", v.Paths[0].Source, v.Paths[0].Target, "-p", demo.BadMorning).Out), v.Paths[0].Why)
	assert.Equal(t, 1, run(t, dir, "reach", "--lost", "-p", demo.BadMorning).Code)

	r = run(t, dir, "reach", "--lost", "--links", "--without", "beam-d", "-4", "-o", "csv")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, r.Out, "quay-staff,beam-gull,ipv4,10.48.1.10,10.48.0.252,fails,interface-down,false,gull-point:beam0 is down: the "+
		"cable beam-d is down")
	assert.NotContains(t, r.Out, ",works,", "only what is lost")

	for args, message := range map[string]string{"--from quay-stuff": "did you mean quay-staff?", "--failures 3": "--failures is 1",
		"--without beam-x": "did you mean beam-", "-4 -6": "exclude each other", "x": "takes nothing"} {
		r = run(t, dir, append([]string{"reach"}, strings.Fields(args)...)...)
		assert.Equal(t, 2, r.Code, args)
		assert.Contains(t, r.Err, message)
	}
}

func TestARemedysCommandIsTypedAsItStands(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "check", "--all", "-p", demo.BadMorning)
	assert.Contains(t, oneLine(r.Out), "next: ropeswing -p bad-morning/skerry.plan.yaml ping 10.48.2.34")
	assert.NotContains(t, r.Out, "'ropeswing ping")
}

func TestEverySingleFailureIsTried(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "reach", "--failures", "1")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, oneLine(r.Out),
		"14 single failures: 11 lose nothing, 3 cut off quay-staff, quay-staff at quay-core, quay-servers and 7 more, 0 lose pairs that "+
			"routes could save, between 12 LANs and 7 loopbacks · predicted from the plan")
	assert.Contains(t, r.Out, "\nnext: ropeswing reach --lost --without 'quay-edge:lan0 to quay-core:up0'\n")
	var v struct {
		Failures, Whole, Survived, Routes int
		Losses                            []struct {
			Without                                []string
			Lost, Cannot, DoesNot, Loops, Rerouted int
			Paths                                  []struct{ From, To string }
			Takes                                  []struct{ Device, To, Out string }
		}
	}
	require.NoError(t, json.Unmarshal([]byte(strings.ReplaceAll(run(t, dir, "reach", "--failures", "1", "-o", "json").Out, "does_not",
		"doesnot")), &v))
	assert.Equal(t, 14, v.Failures, "twelve cables and the links to two carriers; cables to hosts are not tried: no other path is wanted "+
		"there")
	found := map[string][4]int{}
	for _, l := range v.Losses {
		found[l.Without[0]] = [4]int{l.Lost, l.Cannot, l.DoesNot, l.Loops}
		if l.Without[0] == "beam-b" {
			assert.Positive(t, l.Rerouted)
			assert.Contains(t, l.Takes, struct{ Device, To, Out string }{"tern-rock", "0.0.0.0/0", "beam1"})
		}
		assert.Len(t, l.Paths, l.Lost)
		assert.Equal(t, l.Lost, l.Cannot+l.DoesNot)
	}
	quay := found["quay-edge:lan0 to quay-core:up0"]
	assert.Equal(t, quay[0], quay[1], "the office hangs on one cable: there is no wire round it")
	assert.Equal(t, 11, v.Survived, "no failure that takes anything is survived")
	assert.Zero(t, v.Routes)
	for _, beam := range []string{"beam-a", "beam-b", "beam-c", "beam-d", "beam-e"} {
		assert.Zero(t, found[beam][0], "%s: a ring has a wire round", beam)
	}
	for name, l := range found {
		assert.Zero(t, l[3], "%s: nothing circles", name)
	}
	assert.NotContains(t, found, "old-line", "which only stands by")
	assert.Equal(t, 1, run(t, dir, "reach", "--failures", "1", "--lost").Code)
	assert.Contains(t, run(t, dir, "reach", "--failures", "1", "--devices", "-o", "csv").Out, "mole-rtr,")
}

func TestPairsOfFailures(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "reach", "--failures", "2", "-4")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Regexp(t, `^91 pairs of failures: \d+ lose nothing`, first(r.Out), "twelve cables and two links make 14 × 13 / 2 pairs")
	assert.Contains(t, r.Out, "beam-a and beam-d")
	assert.Equal(t, 2, run(t, dir, "reach", "--failures", "3").Code)
	r = run(t, dir, "-p", demo.BadMorning, "reach", "--failures", "1", "-o", "csv")
	assert.Equal(t, "without,lost,cannot,does_not,loops,rerouted,first", first(r.Out))
}

func TestDerivedRoutesAreListedAndPinned(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "show", "routes", "--derived", "-4", "quay-edge")
	assert.Equal(t, "16 routes derived for 1 device · predicted from the plan", first(r.Out), "in IPv4")
	assert.Regexp(t, `^134 routes derived for 7 devices; \d+ with one for each subnet · predicted from the plan$`,
		first(run(t, dir, "show", "routes", "--derived").Out))
	assert.NotContains(t, r.Out, "direct")
	assert.Contains(t, oneLine(r.Out), "10.48.3.0/24 10.48.0.3 mole-rtr beam0 derived 1 in use watches 10.48.0.5")
	assert.Contains(t, run(t, dir, "-p", demo.BadMorning, "show", "routes", "--derived").Err, "no route is derived")

	why := oneLine(run(t, dir, "why", "quay-edge", "10.48.3.0/24").Out)
	assert.Contains(t, why, "for tern-watch, tern-beacon and what else lies in 10.48.3.0/24")
	assert.Contains(t, why, "path the cheapest, by mole-rtr and tern-rock: it costs 20")
	assert.Contains(t, why, "behind it goes out of beam1 when beam0 is down, or 10.48.0.5 (tern-rock:beam0) does not answer by it")
	assert.Contains(t, oneLine(run(t, dir, "why", "quay-edge", "10.48.15.9").Out),
		"here what nobody has of it, or what has no path left, ends here instead of looping")

	prices := oneLine(run(t, dir, "show", "routes", "--prices", "quay-core").Out)
	assert.Regexp(t, `protect lines watches not protected none \d+ 0 \d+ own \d+ 0 \d+ links 134 36 0 as wanted devices \d+ \d+ \d+ most lines: 10\.48\.2\.0/24 \d lines`, prices)

	assert.Contains(t, run(t, dir, "show", "routes", "--prices", "-o", "json").Err, "leave out -o", "it is refused, not left out")

	before := run(t, dir, "show", "routes", "-o", "csv").Out
	lost := run(t, dir, "reach", "--failures", "1", "-o", "json").Out
	r = run(t, dir, "pin", "quay-edge", "far-skerry")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, r.Out, "+      10.48.3.0/24: [{next-hop: 10.48.0.3, out: beam0, watch: 10.48.0.5}, {next-hop: 10.48.0.249, out: "+
		"beam1, watch: 10.48.0.6}]")
	assert.Contains(t, r.Out, "next: ropeswing pin quay-edge far-skerry -w\n")
	assert.Equal(t, before, run(t, dir, "show", "routes", "-o", "csv").Out, "it only shows")

	require.Equal(t, 0, run(t, dir, "pin", "quay-edge", "far-skerry", "-w").Code)
	r = run(t, dir, "check")
	assert.Equal(t, 0, r.Code)
	assert.Equal(t, "Skerry Lights: nothing wrong · predicted from the plan", first(r.Out))
	assert.Equal(t, unwritten(before), unwritten(run(t, dir, "show", "routes", "-o", "csv").Out), "each device has the routes it had")
	assert.Equal(t, lost, run(t, dir, "reach", "--failures", "1", "-o", "json").Out)
	r = run(t, dir, "pin", "quay-edge")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "no route of quay-edge is derived")
	assert.Contains(t, run(t, dir, "pin", "quay-edgy").Err, "did you mean quay-edge?")
	assert.Contains(t, run(t, dir, "-p", demo.BadMorning, "pin", "quay-edge").Err, "the plan has no 'wants'")
	assert.Contains(t, run(t, dir, "pin").Err, "of which device")
}

// unwritten is a list of routes without what tells written from derived.
func unwritten(csv string) string {
	csv = regexp.MustCompile(`skerry\.plan\.yaml:\d+`).ReplaceAllString(csv, "")
	return strings.ReplaceAll(strings.ReplaceAll(csv, ",derived,", ","), ",static,", ",")
}

// A router that sends from a link nobody wants reached is told from where to ask instead: it was
// tried.
func TestARouterIsToldToPingFromItsLoopback(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "ping", "quay-core", "mole-rtr")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, oneLine(r.Out), "next ropeswing ping quay-core:loopback mole-rtr")
	assert.Equal(t, 0, run(t, dir, "ping", "quay-core:loopback", "mole-rtr").Code)
	assert.NotContains(t, run(t, dir, "ping", "quay-core", "mole-rtr", "--without", "quay-edge").Out, ":loopback", "there it would not help")
}
