package pushtest

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/ssh"

	"ropeswing/internal/clitest"
)

// Devices that speak no open protocol are asked, changed and taken back at their consoles, each in its own language, by a form alone; only
// that it reads back counts.
func TestPushAtConsoles(t *testing.T) {
	t.Parallel()
	for _, language := range []string{"lamps", "kelp"} {
		t.Run(language, func(t *testing.T) {
			t.Parallel()
			dir, _, who := standIns(t, "bad-morning/observed", "--speaks", language)
			access := filepath.Join(who, "access.yaml")
			differs := func() string { return first(run(t, dir, "compare", "--live", "--access", access).Out) }
			assert.Contains(t, differs(), "5 differences")
			r := run(t, dir, "push", "-w", "--yes", "--access", access)
			require.Equal(t, 0, r.Code, r.Out+r.Err)
			assert.Equal(t, "done: 5 steps on 5 devices", first(r.Out))
			assert.Equal(t, language == "kelp", strings.Contains(r.Err, "mole-sw has no timer of its own: what is sent runs at once"))
			assert.Contains(t, differs(), "as planned: all 755 things")
			journal := clitest.Read(t, dir, "skerry.push.jsonl")
			assert.NotContains(t, journal, "<interfaces", "what was typed is the gear's own")
			r = run(t, dir, "push", "--take-back", "-w", "--yes", "--access", access)
			require.Equal(t, 0, r.Code, r.Out+r.Err)
			assert.Contains(t, differs(), "5 differences")
		})
	}
}

// The stand-in's console refuses in its own words what it does not know or cannot be, forgets what was not put in force, and takes back
// by its timer what nobody let stay.
func TestTheConsoleOfAStandIn(t *testing.T) {
	t.Parallel()
	_, at, who := standIns(t, "quay-sw1", "--speaks", "lamps")
	key, err := os.ReadFile(filepath.Join(who, "key"))
	require.NoError(t, err)
	signer, err := ssh.ParsePrivateKey(key)
	require.NoError(t, err)
	type_ := func(lines ...string) string {
		c, err := ssh.Dial("tcp", at["quay-sw1"][1],
			&ssh.ClientConfig{User: "stand-in", Auth: []ssh.AuthMethod{ssh.PublicKeys(signer)},
				HostKeyCallback: ssh.InsecureIgnoreHostKey()}) //nolint:gosec // a stand-in of this test
		require.NoError(t, err)
		defer c.Close()
		s, err := c.NewSession()
		require.NoError(t, err)
		s.Stdin = strings.NewReader(strings.Join(lines, "\n") + "\n")
		var out strings.Builder
		s.Stdout = &out
		require.NoError(t, s.Shell())
		_ = s.Wait()
		return out.String()
	}
	has := func(text string) bool {
		return regexp.MustCompile(`(?m)^\s*` + regexp.QuoteMeta(text) + `$`).MatchString(type_("show all"))
	}
	require.True(t, has("socket p7"))
	require.False(t, has("load 1400"))

	out := type_("change", "socket p7", "  load 1400", "  glow blue", "not road 10.9.0.0 over 255.255.0.0 nowhere order 1", "forget",
		"nonsense", "help")
	assert.Contains(t, out, "dark: no such line")
	assert.Contains(t, out, "dark: it is not there")
	assert.Contains(t, out, "list interfaces", "its lists are there all the same")
	assert.False(t, has("load 1400"), "what was forgotten is not in force")

	assert.Contains(t, type_("change", "not socket p7", "done"), "dark: port p7 cannot be taken away")
	type_("change", "socket p7", "load 1400", "done", "keep")
	assert.True(t, has("load 1400"))
	assert.Contains(t, type_("show kept"), "load 1400")

	type_("relight in 1", "change", "socket p7", "load 1300", "done")
	assert.True(t, has("load 1300"))
	assert.Eventually(t, func() bool { return has("load 1400") }, 5*time.Second, 100*time.Millisecond, "nobody let it stay")
	type_("relight in 1", "change", "socket p7", "load 1200", "done", "stay lit")
	time.Sleep(1500 * time.Millisecond)
	assert.True(t, has("load 1200"))
	assert.Contains(t, type_("stay lit"), "dark: no timer runs")
	assert.Contains(t, type_("relight in 60", "relight in 60", "relight now"), "dark: the timer runs already")
}
