package ropeswing_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Every file that the pages name is there, and the page on the house stays one that is read to its end.
func TestFilesThatDocsNameAreThere(t *testing.T) {
	pages, err := filepath.Glob("docs/*.md")
	require.NoError(t, err)
	pages = append(pages, "README.md", "CONTRIBUTING.md", "SECURITY.md", "CHANGELOG.md")
	inCode := regexp.MustCompile("`((?:core|internal|cmd|demo|docs|\\.ci)/[\\w./-]*\\.(?:go|txt|md|py|form))`")
	linked := regexp.MustCompile(`\]\(([^)#:]+)[^)]*\)`)
	named := 0
	for _, page := range pages {
		text, err := os.ReadFile(page)
		require.NoError(t, err)
		for _, m := range inCode.FindAllStringSubmatch(string(text), -1) {
			named++
			assert.FileExists(t, m[1], page)
		}
		for _, m := range linked.FindAllStringSubmatch(string(text), -1) {
			named++
			_, err := os.Stat(filepath.Join(filepath.Dir(page), m[1]))
			assert.NoError(t, err, "%s: %s", page, m[1])
		}
	}
	assert.Greater(t, named, 80)
	house, err := os.ReadFile("docs/architecture.md")
	require.NoError(t, err)
	assert.Less(t, strings.Count(string(house), "\n"), 150)
	for room := range outer {
		if strings.HasPrefix(room, "internal/") && room != "internal/referee" {
			assert.Contains(t, string(house), room+" ", "the page names every room")
		}
	}
	for _, room := range rooms {
		assert.Contains(t, string(house), "\n  "+strings.TrimPrefix(room, "core/")+" ", "the page names every room")
	}
}
