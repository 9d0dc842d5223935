package devicestest

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// modules is where Debian's libyuma-base has the standard models.
const modules = "/usr/share/yuma"

// linted checks data by the standard models and this program's own, with Debian's yanglint; as
// says of which datastore they are: data, config.
func linted(t *testing.T) (valid func(as, path string)) {
	t.Helper()
	lint, err := exec.LookPath("yanglint")
	if _, missing := os.Stat(modules); err != nil || missing != nil {
		if os.Getenv("ROPESWING_YANGLINT") != "" {
			t.Fatal("it needs the program yanglint (Debian's libyang2-tools) and the models of Debian's libyuma-base")
		}
		t.Skip("passed over: it needs yanglint (Debian's libyang2-tools) and the models of Debian's libyuma-base")
	}
	models := filepath.Join(t.TempDir(), "models")
	require.NoError(t, os.Mkdir(models, 0o755))
	args := []string{"-p", models, "-F", "ietf-interfaces:if-mib", "-F", "ietf-routing:multiple-ribs,router-id", "-F", "ietf-ip:"}
	for _, pattern := range []string{modules + "/nmda-modules/ietf/*.yang", modules + "/modules/ietf/iana-if-type@*.yang", modules +
		"/modules/ietf/ietf-inet-types@*.yang", modules + "/modules/ietf/ietf-yang-types@*.yang", modules + "/modules/ietf/ietf-system@*.yang",
		modules + "/modules/ietf/ietf-netconf-acm@*.yang", modules + "/modules/ietf/iana-crypt-hash@*.yang",
		"../../../internal/yang/modules/*.yang"} {
		all, err := filepath.Glob(pattern)
		require.NoError(t, err)
		require.NotEmpty(t, all, pattern)
		for _, path := range all {
			text, err := os.ReadFile(path)
			require.NoError(t, err)
			if strings.HasPrefix(filepath.Base(path), "ietf-routing@") {
				text = regexp.MustCompile(`(?m)^\s*min-elements 1;`).ReplaceAll(text, nil)
			}
			require.NoError(t, os.WriteFile(filepath.Join(models, filepath.Base(path)), text, 0o644))
		}
	}
	for _, name := range []string{"ietf-interfaces", "ietf-ip", "ietf-routing", "ietf-ipv4-unicast-routing", "ietf-ipv6-unicast-routing",
		"iana-if-type", "ietf-system", "ropeswing-device"} {
		all, _ := filepath.Glob(filepath.Join(models, name+"@*.yang"))
		require.NotEmpty(t, all, name)
		args = append(args, all[len(all)-1])
	}
	return func(as, path string) {
		t.Helper()
		args := args
		if filepath.Ext(path) == ".xml" { // without what a server puts around it
			text, err := os.ReadFile(path)
			require.NoError(t, err)
			bare := regexp.MustCompile(`<\?xml[^>]*>|</?data(?:\s[^>]*)?>`).ReplaceAll(text, nil)
			require.NoError(t, os.WriteFile(path, bare, 0o644))
			if bytes.Contains(bare, []byte("<yang-library ")) { // which is built in
				args = append([]string{"-y"}, args...)
			}
		}
		out, err := exec.Command(lint, append(append([]string{}, args...), "-t", as, path)...).CombinedOutput()
		assert.NoError(t, err, "%s: %s", filepath.Base(path), out)
	}
}

// What is written of devices is valid by the standard models. One rule of theirs is
// left out: that a table is in the obsolete tree beside the one that is used.
func TestModelDataIsValid(t *testing.T) {
	t.Parallel()
	valid := linted(t)
	dir := lights(t)
	for _, form := range [][]string{{"--to", "json"}, {"--to", "xml", "--xml"}} {
		r := run(t, dir, append([]string{"export", "models", "-w"}, form...)...)
		require.Equal(t, 0, r.Code, r.Err)
		all, _ := filepath.Glob(filepath.Join(dir, form[1], "*."+form[1]))
		require.Len(t, all, 22)
		for _, path := range all {
			valid("data", path)
		}
	}
}

// What was written is read again, and compared with the plan it is just as planned.
func TestModelDataIsReadAgain(t *testing.T) {
	t.Parallel()
	for _, form := range [][]string{{"--to", "out"}, {"--to", "out", "--xml"}} {
		dir := lights(t)
		require.Equal(t, 0, run(t, dir, append([]string{"export", "models", "-w"}, form...)...).Code)
		all, _ := filepath.Glob(filepath.Join(dir, "out", "*"))
		args := []string{"observe", "-w", "observed"}
		for _, path := range all {
			args = append(args, filepath.Join("out", filepath.Base(path)))
		}
		r := run(t, dir, args...)
		require.Equal(t, 0, r.Code, r.Err)
		assert.Contains(t, r.Out, "kept in observed: 22 devices; next: ropeswing compare observed")
		r = run(t, dir, "compare")
		assert.Equal(t, 0, r.Code, r.Out)
		assert.Regexp(t, `^as planned: all 6\d\d things that are known`, first(r.Out))
		r = run(t, dir, "ping", "desk-7", "tern-cam", "--observed", "observed")
		assert.Equal(t, 0, r.Code, r.Out)
		assert.Contains(t, first(r.Out), "reaches tern-cam in IPv4 and IPv6 · predicted from what was observed")
	}
}
