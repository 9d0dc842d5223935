package changetest

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"ropeswing/internal/clitest"
)

// A learner looks as on real devices, mends, and is told whether that was it; the same number asks the same puzzle again.
func TestAPuzzleIsLookedAtAndMended(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	play := func(seed string, lines ...string) clitest.Result {
		return runAs(t, dir, nil, strings.Join(lines, "\n")+"\n", "rehearse", "--simulated", "--puzzle", seed)
	}
	answer := play("2", "answer")
	assert.Equal(t, 1, answer.Code, "given up")
	assert.Contains(t, answer.Out, "an interface is switched off: 'mole-rtr: lan0.120 down'; you looked 0 times")
	assert.Equal(t, answer.Out, play("2", "answer").Out)
	r := play("2", "ping pilot-desk", "trace desk-7 pilot-desk", "show interfaces mole-rtr", "desk-7: port mtu 1400", "undo", "undo",
		"quay-sw1: p7 down", "undo", "mole-rtr: lan0.120 up")
	assert.Equal(t, 0, r.Code, r.Out)
	out := oneLine(r.Out)
	for _, said := range []string{"One slip was made somewhere in Skerry Lights.", "do not reach pilot-desk", "10.48.2.10: no reply",
		"1 10.48.1.1 quay-core 2 10.48.0.0 quay-edge 3 *", "lan0.120 10.48.2.2/27", "set; as many pairs do not work as before",
		"the last change is taken back", "nothing was changed", "set; now", "That was it: everything works again. You looked 3 times, and made 1 change.",
		"The slip was 'mole-rtr: lan0.120 down': an interface is switched off."} {
		assert.Contains(t, out, said)
	}
	before, _, _ := strings.Cut(r.Out, "That was it")
	assert.NotContains(t, before, "lan0.120 down", "what was planted is not told before")
	assert.NotContains(t, before, "remedy")
	r = play("3", "hint", "wibble", "show x", "ping", "ping a b c", "ping nobody", "far-lamp: gateway", "state", "help", "leave")
	assert.Equal(t, 1, r.Code)
	out = oneLine(r.Out)
	for _, said := range []string{"look at far-lamp: a gateway is wrong", "'wibble' is nothing that is done here", "show one of interfaces, routes",
		"name whom: ping [FROM] TO", "nobody", "hint which device it is"} {
		assert.Contains(t, out, said)
	}
	write(t, dir, "small.plan.yaml", "ropeswing: 1\ndevices: {r: {is: router}}\n")
	assert.Contains(t, run(t, dir, "rehearse", "--puzzle", "1", "-p", "small.plan.yaml").Err, "no slip breaks anything here")
}

// Where there is a kernel, it is what answers: the same words from the same looks, and the network is made anew after a change.
func TestAPuzzleInTheKernel(t *testing.T) {
	t.Parallel()
	clitest.Rehearsable(t)
	dir := lights(t)
	lines := "ping pilot-desk\ntrace desk-7 pilot-desk\nmole-rtr: lan0.191 down\nping mole-sw\nundo\nping mole-sw\nmole-rtr: lan0.120 up\n"
	r := runAs(t, dir, nil, lines, "rehearse", "--puzzle", "2")
	assert.Equal(t, 0, r.Code, r.Out+r.Err)
	assert.Empty(t, r.Err, "the kernel took it")
	out := oneLine(r.Out)
	for _, said := range []string{"10.48.2.10: no reply", "1 10.48.1.1 (quay-core:vlan110) 2 10.48.0.0 (quay-edge:lan0) 3 *",
		"set; as many pairs do not work as before", "That was it: everything works again. You looked 4 times, and made 1 change."} {
		assert.Contains(t, out, said)
	}
	assert.Regexp(t, `\$ ping mole-sw (\S+: (no reply|from .*?) )+\$ undo .* \$ ping mole-sw (\S+: reply )+`, out)
	assert.Contains(t, run(t, dir, "rehearse", "--simulated").Err, "--simulated goes with --puzzle")
}
