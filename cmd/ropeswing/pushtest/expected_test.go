package pushtest

import (
	"net"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/internal/clitest"
)

// A device that the plan expects to be silent does not count among those that should have answered; from the day behind it does.
func TestASilenceThatIsExpected(t *testing.T) {
	t.Parallel()
	dir, _, who := standIns(t)
	deaf, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	defer deaf.Close()
	text := clitest.Read(t, who, "access.yaml")
	own := regexp.MustCompile(`(?s)for: mole-rtr\n.*?  - for: `)
	require.True(t, own.MatchString(text))
	write(t, who, "access.yaml", own.ReplaceAllLiteralString(text, "for: mole-rtr\n    methods: [{by: snmp, at: '"+deaf.LocalAddr().String()+
		"', version: '2c', community: {file: community}}]\n  - for: "))
	plan := clitest.Read(t, dir, "skerry.plan.yaml")
	live := func(command, expect string) clitest.Result {
		line := ""
		if expect != "" {
			line = "    expect: " + expect + "\n"
		}
		write(t, dir, "skerry.plan.yaml", strings.Replace(plan, "  mole-rtr:\n", "  mole-rtr:\n"+line, 1))
		return clitest.RunWith(t, dir, []string{"ROPESWING_ACCESS=" + filepath.Join(who, "access.yaml")}, strings.Fields(command)...)
	}
	r := live("compare --live", "")
	assert.Equal(t, 3, r.Code, r.Out+r.Err)
	assert.Contains(t, first(r.Out), "21 of 22 devices answered")
	for _, command := range []string{"compare --live", "check --live"} {
		r = live(command, "silent until 2099-12-31")
		assert.Equal(t, 0, r.Code, "%s: %s", command, r.Out+r.Err)
		assert.Contains(t, first(r.Out), "silent by plan: mole-rtr")
	}
	r = live("check", "silent until 2020-12-31")
	assert.Contains(t, clitest.OneLine(r.Out), "was expected to be silent until 2020-12-31, which is past")
	r = live("check", "silent till 2099-12-31")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, clitest.OneLine(r.Out), "'silent until 2027-03-31'")
	write(t, who, "access.yaml", text)
	r = live("compare --live", "silent")
	assert.Equal(t, 0, r.Code)
	assert.Contains(t, r.Err, "mole-rtr answers, and the plan expects it to be silent")

	require.NoError(t, os.Mkdir(filepath.Join(dir, "alone"), 0o755))
	write(t, dir, "alone/alone.plan.yaml", "ropeswing: 1\nsegments: {l: {prefix: 192.0.2.0/24}}\ndevices:\n"+
		"  a: {is: router, expect: silent, interfaces: {e: {segment: l, address: 1}}}\n")
	write(t, dir, "alone/alone.access.yaml", "ropeswing-access: 1\naccess: [{for: a, methods: [{by: snmp, at: '"+deaf.LocalAddr().String()+
		"', version: '2c', community: {env: WORD}}]}]\n")
	for _, command := range []string{"compare", "check"} {
		r = clitest.RunWith(t, filepath.Join(dir, "alone"), []string{"WORD=a-long-community"}, command, "--live")
		assert.Equal(t, 3, r.Code, r.Out+r.Err)
		assert.Contains(t, r.Err, "no device answered; the plan expects all of them to be silent")
	}
}
