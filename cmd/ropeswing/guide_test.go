package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/demo"
)

// guide is the pages of the guide, by name.
func guide(t *testing.T) map[string]string {
	t.Helper()
	all, err := filepath.Glob("../../docs/guide/*.md")
	require.NoError(t, err)
	pages := map[string]string{}
	for _, path := range all {
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		pages[filepath.Base(path)] = string(text)
	}
	return pages
}

// blocks are the blocks of a page in a language.
func blocks(page, language string) []string {
	var all []string
	for _, g := range regexp.MustCompile("(?s)```"+language+"\n(.*?)```").FindAllStringSubmatch(page, -1) {
		all = append(all, g[1])
	}
	return all
}

// Every command that the guide shows runs, in the order in which it stands there, on the
// demo's files or on the page's own plan: it answers, whatever the answer is.
func TestEveryCommandOfTheGuideRuns(t *testing.T) {
	bash, err := exec.LookPath("bash")
	if err != nil {
		t.Skip("needs bash: the guide's commands are lines of a shell")
	}
	for name, page := range guide(t) {
		dir := t.TempDir()
		require.NoError(t, os.CopyFS(dir, demo.Files()))
		switch name {
		case "assign.md": // its own plan
			require.NoError(t, os.RemoveAll(dir))
			require.NoError(t, os.Mkdir(dir, 0o755))
			write(t, dir, "farm.plan.yaml", blocks(page, "yaml")[0])
			write(t, dir, "segments.csv", "name,hosts\noffice,42\nmanage,10\n")
		case "live.md", "push.md": // on stand-ins, which the access file beside the plan tells of
			_, _, who := standIns(t, "--observed", "bad-morning/observed")
			entries, err := os.ReadDir(who)
			require.NoError(t, err)
			for _, e := range entries {
				text, err := os.ReadFile(filepath.Join(who, e.Name()))
				require.NoError(t, err)
				require.NoError(t, os.WriteFile(filepath.Join(dir, strings.ReplaceAll(e.Name(), "access.yaml", "skerry.access.yaml")), text, 0o600))
			}
		case "first.md": // its own plan
			require.NoError(t, os.RemoveAll(dir))
			require.NoError(t, os.Mkdir(dir, 0o755))
			write(t, dir, "rooms.plan.yaml", blocks(page, "yaml")[0])
		case "sites.md": // its own file of needs, and its own plan
			require.NoError(t, os.RemoveAll(dir))
			require.NoError(t, os.Mkdir(dir, 0o755))
			write(t, dir, "buoys.plan.yaml", blocks(page, "yaml")[0])
			write(t, dir, "sites.csv", blocks(page, "csv")[0])
		case "found.md":
			require.NoError(t, os.CopyFS(filepath.Join(dir, "seen"), os.DirFS(filepath.Join(dir, demo.Seen))))
			require.NoError(t, os.CopyFS(dir, os.DirFS(filepath.Join(dir, demo.Seen)))) // lamps.txt and its map
			for _, state := range []string{"before", "after"} {
				require.Equal(t, 0, run(t, dir, "observe", demo.Seen, "-w", state).code)
			}
		case "subnets.md":
			write(t, dir, "needs.csv", "name,hosts\ndesks,42\nguests,100\n")
		case "export.md":
			write(t, dir, "port.txt.tmpl", strings.Join(blocks(page, ""), ""))
		}
		for _, block := range blocks(page, "sh") {
			for line := range strings.Lines(block) {
				line = strings.TrimSpace(line)
				if line == "" || strings.Contains(line, "--live") && name != "live.md" || strings.Contains(line, "--here") || strings.HasPrefix(line, "ropeswing here") || strings.HasPrefix(line, "ropeswing new") {
					continue // about this machine and its network, or before there is a plan
				}
				switch {
				case strings.Contains(line, "other.plan.yaml"):
					line = strings.Replace(line, "other.plan.yaml", "bad-morning/skerry.plan.yaml", 1)
				case strings.Contains(line, "--grow office"): // what was outgrown
					write(t, dir, "farm.plan.yaml", strings.Replace(blocks(page, "yaml")[0], "hosts: 42", "hosts: 142", 1))
				case strings.Contains(line, "--grow buoy-17"):
					write(t, dir, "buoys.plan.yaml", strings.Replace(blocks(page, "yaml")[0], "  link-(", "  lab-17: {hosts: 25, from: buoy-17}\n  link-(", 1))
				case strings.Contains(line, "compare --saved"):
					require.Equal(t, 0, run(t, dir, "observe", "seen", "--saved", "-w", "observed").code)
				}
				cmd := exec.Command(bash, "-c", line)
				cmd.Dir, cmd.Env = dir, []string{"PATH=" + filepath.Dir(program) + ":/usr/bin:/bin", "HOME=" + dir}
				out, _ := cmd.CombinedOutput()
				assert.Contains(t, []int{0, 1}, cmd.ProcessState.ExitCode(), "%s: %s\n%s", name, line, out)
			}
		}
	}
}

// Every plan that the guide shows whole can be read.
func TestEveryPlanOfTheGuideIsRead(t *testing.T) {
	whole := 0
	for name, page := range guide(t) {
		for _, text := range blocks(page, "yaml") {
			if !strings.HasPrefix(text, "ropeswing: 1\n") {
				if !strings.HasPrefix(text, "segments:") || !strings.Contains(text, "\ndevices:") {
					continue // a part of one
				}
				text = "ropeswing: 1\n" + text
			}
			whole++
			dir := t.TempDir()
			write(t, dir, "guide.plan.yaml", text)
			require.NoError(t, os.Mkdir(filepath.Join(dir, "sites"), 0o755))
			write(t, dir, "sites/yards.yaml", "ropeswing: 1\n")
			r := run(t, dir, "check")
			assert.Contains(t, []int{0, 1}, r.code, "%s:\n%s\n%s%s", name, text, r.out, r.err)
		}
	}
	assert.Greater(t, whole, 2)
}
