package standin

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Both protocols tell the same models: every one that the hello names, under the content-id that the hello has; and Debian's
// yanglint, which has the library's model built in, finds what is told valid.
func TestTheLibraryTellsTheModels(t *testing.T) {
	t.Parallel()
	s := newRooms(t)
	c := connected(t, s)
	id := s.trouble.libraryID()
	over := c.ask(`<get><filter type="subtree"><yang-library xmlns="` + librarySpace + `"/></filter></get>`)
	code, rest, _ := restAsk(s, "GET", "/restconf/data/ietf-yang-library:yang-library", "")
	require.Equal(t, 200, code)
	for _, text := range []string{over, rest} {
		for _, capability := range s.trouble.capabilities() {
			if m := regexp.MustCompile(`\?module=([^&]+)&revision=([^&]+)`).FindStringSubmatch(capability); m != nil {
				assert.Contains(t, text, "<name>"+m[1]+"</name><revision>"+m[2]+"</revision>")
			}
		}
		assert.Contains(t, text, "<content-id>"+id+"</content-id>")
		assert.Contains(t, text, ">ds:operational</name>")
	}
	assert.Contains(t, s.trouble.libraryCapability(), "content-id="+id)
	partly := &trouble{kinds: map[string]bool{"partly": true}}
	assert.NotContains(t, partly.stores(), "candidate")
	code, state, _ := restAsk(s, "GET", "/restconf/data/ietf-restconf-monitoring:restconf-state", "")
	assert.Equal(t, 200, code)
	assert.Contains(t, state, "capability:defaults:1.0?basic-mode=explicit")
	lint, err := exec.LookPath("yanglint")
	if err != nil {
		t.Skip("the rest needs the program yanglint (Debian's libyang2-tools)")
	}
	path := filepath.Join(t.TempDir(), "library.xml")
	_, before, _ := restAsk(s, "GET", "/restconf/ds/ietf-datastores:operational/ietf-yang-library:modules-state", "")
	require.NoError(t, os.WriteFile(path, []byte(rest+before), 0o600))
	out, err := exec.Command(lint, "-y", "-t", "data", path).CombinedOutput()
	assert.NoError(t, err, string(out))
}
