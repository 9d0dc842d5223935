package guidetest

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/demo"
	"ropeswing/internal/clitest"
)

// guide is the pages of the guide, by name.
func guide(t *testing.T) map[string]string {
	t.Helper()
	all, err := filepath.Glob("../../../docs/guide/*.md")
	require.NoError(t, err)
	all = append(all, "../../../docs/reference/commands.md")
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
// demo's files or on the page's own plan, and prints what docs/guide/output keeps of it. With
// ROPESWING_UPDATE that is written anew.
func TestEveryCommandOfTheGuidePrintsWhatIsKept(t *testing.T) {
	t.Parallel()
	bash, err := exec.LookPath("bash")
	if err != nil {
		t.Skip("needs bash: the guide's commands are lines of a shell")
	}
	examples := sync.OnceValue(func() string { return forExamples(t) })
	for name, page := range guide(t) {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			commandsOf(t, name, page, bash, examples)
		})
	}
}

// many is from how many commands on the newcomer's tests carry out every fifth of a page's, and those that write; with
// ROPESWING_PROOF=long, as in .ci/run, all are. What two pages show of their commands is compared, so that all of theirs are.
const many = 12

func isLong(name, page string) bool {
	return name != "start.md" && name != "cookbook.md" && strings.Count(strings.Join(blocks(page, "sh"), "\n"), "\nropeswing ") >= many
}

// writes matches the commands on whose files others hang.
var writes = regexp.MustCompile(`-w\b|>|--save|^(cp|mv|mkdir|git|cd|sed) `)

// commandsOf runs the commands of one page, and compares what they print with what is kept.
func commandsOf(t *testing.T, name, page, bash string, examples func() string) {
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, demo.Files()))
	switch name {
	case "assign.md": // its own plan
		require.NoError(t, os.RemoveAll(dir))
		require.NoError(t, os.Mkdir(dir, 0o755))
		write(t, dir, "farm.plan.yaml", blocks(page, "yaml")[0])
		write(t, dir, "segments.csv", "name,hosts\noffice,42\nmanage,10\n")
		write(t, dir, "nets.csv", "name,prefix,gateway\noffice,10.1.0.0/24,10.1.0.1\n")
		write(t, dir, "inventory.csv", "name,address,kind\nrtr,10.1.0.1,router\nsw,10.1.0.2,switch\ntill,10.1.0.9,till\n")
		write(t, dir, "cables.csv", "from,to\nrtr 1,sw 1\ntill eth0,sw 2\n")
		write(t, dir, "ports.csv", "beam0,ge0\nlan0,ge1\n")
	case "live.md", "push.md": // on stand-ins, which the access file beside the plan tells of
		_, _, who := standIns(t, "bad-morning/observed")
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
			require.Equal(t, 0, run(t, dir, "observe", demo.Seen, "-w", state).Code)
		}
	case "subnets.md":
		write(t, dir, "needs.csv", "name,hosts\ndesks,42\nguests,100\n")
	case "export.md":
		write(t, dir, "port.txt.tmpl", strings.Join(blocks(page, ""), ""))
	}
	var kept strings.Builder
	at := 0
	before := ""
	if isLong(name, page) && os.Getenv("ROPESWING_UPDATE") == "" && clitest.Often(0, 1) == 0 {
		text, err := os.ReadFile("../../../docs/guide/output/" + strings.TrimSuffix(name, ".md") + ".txt")
		require.NoError(t, err)
		before = string(text)
	}
	for _, block := range blocks(page, "sh") {
		for line := range strings.Lines(block) {
			line = strings.TrimSpace(line)
			shown := line
			if line == "" || strings.Contains(line, "--live") && name != "live.md" || strings.Contains(line, "--here") ||
				strings.HasPrefix(line, "ropeswing here") || name != "commands.md" && strings.HasPrefix(line, "ropeswing new") {
				continue // about this machine and its network, or before there is a plan
			}
			if name == "commands.md" { // examples of one command each, on the demo
				if runsOn.MatchString(line) {
					continue
				}
				dir = t.TempDir()
				require.NoError(t, os.CopyFS(dir, os.DirFS(examples())))
			}
			switch {
			case strings.Contains(line, "--grow quay-staff"):
				grown, err := os.ReadFile(filepath.Join(dir, "skerry.plan.yaml"))
				require.NoError(t, err)
				write(t, dir, "skerry.plan.yaml", regexp.MustCompile(`(quay-staff: +\{.*hosts: )\d+`).ReplaceAllString(string(grown), "${1}90"))
			case strings.Contains(line, "--release old-cam"):
				continue // the demo's ledger has nothing retired
			case strings.HasPrefix(line, "ropeswing show packets ping.pcapng") && name == "commands.md":
				require.Equal(t, 0, run(t, dir, "ping", "desk-7", "192.0.2.200", "-4", "--capture", "ping.pcapng").Code)
			case strings.HasPrefix(line, "ropeswing new"):
				require.NoError(t, os.Remove(filepath.Join(dir, "skerry.plan.yaml")))
			case strings.Contains(line, "--grow office"): // what was outgrown
				write(t, dir, "farm.plan.yaml", strings.Replace(blocks(page, "yaml")[0], "hosts: 42", "hosts: 142", 1))
			case strings.Contains(line, "--grow buoy-17"):
				write(t, dir, "buoys.plan.yaml",
					strings.Replace(blocks(page, "yaml")[0], "  link-(", "  lab-17: {hosts: 25, from: buoy-17}\n  link-(", 1))
			case strings.Contains(line, "compare --saved"):
				require.Equal(t, 0, run(t, dir, "observe", "seen", "--saved", "-w", "observed").Code)
			}
			if at++; before != "" && at%5 != 0 && !writes.MatchString(line) {
				continue
			}
			cmd := exec.Command(bash, "-c", line)
			cmd.Dir, cmd.Env = dir, []string{"PATH=" + filepath.Dir(program) + ":/usr/bin:/bin", "HOME=" + dir}
			out, _ := cmd.CombinedOutput()
			code := cmd.ProcessState.ExitCode()
			if code == 3 && strings.Contains(line, "rehearse") {
				t.Logf("%s is not compared: %s", name, out) // no namespaces on this machine
				return
			}
			assert.Contains(t, []int{0, 1}, code, "%s: %s\n%s", name, line, out)
			if strings.Contains(line, "rehearse") || strings.Contains(line, "first.pcapng") {
				out = ofTheKernel(out)
			}
			fmt.Fprintf(&kept, "$ %s\n%s", shown, steady(dir, string(out)))
			if code != 0 {
				fmt.Fprintf(&kept, "(exit %d)\n", code)
			}
			kept.WriteString("\n")
		}
	}
	if before != "" { // those that were carried out print what is kept of them
		for _, one := range strings.Split(kept.String(), "\n$ ") {
			first, _, _ := strings.Cut(one, "\n")
			assert.True(t, strings.Contains(before, strings.TrimRight(one, "\n")), "%s prints something else than is kept; "+
				"ROPESWING_UPDATE=1 go test ./cmd/ropeswing -run Guide writes it anew; read what changed", first)
		}
		return
	}
	for _, text := range blocks(page, "text") { // what a page shows is what is printed; "…" passes over lines
		rest := kept.String()
		if name != "start.md" && name != "cookbook.md" {
			break // elsewhere such a block is anything that is typed or read
		}
		for line := range strings.Lines(text) {
			if line = strings.TrimSpace(line); line == "" || line == "…" {
				continue
			}
			i := strings.Index(rest, line)
			if !assert.GreaterOrEqual(t, i, 0, "%s shows a line that is not printed, or not there: %s", name, line) {
				break
			}
			rest = rest[i+len(line):]
		}
	}
	sameAsKept(t, "../../../docs/guide/output/"+strings.TrimSuffix(name, ".md")+".txt", kept.String())
}

// ofTheKernel is of a rehearsal's output the first line: the others depend on what the kernel of
// the machine has, and on when it was asked.
func ofTheKernel(out []byte) []byte {
	first, _, _ := strings.Cut(string(out), "\n")
	return []byte(regexp.MustCompile(`^\d+ packets`).ReplaceAllString(first, "… packets") + "\n…\n")
}

// steady is an output with what differs from run to run or place to place blotted out: times,
// ports, folders, keys.
func steady(dir, out string) string {
	out = strings.ReplaceAll(out, dir, "…")
	for _, p := range []struct{ is, becomes string }{
		{`\b\d+(\.\d+)?(\s+)(ms|s|µs)\b`, "…$2$3"},
		{`observed\s+(…|\d+)\s+(s|min|h)\s+ago`, "observed … s ago"}, // where a line is wrapped hangs on the number
		{`(127\.0\.0\.1|::1\]):\d+`, "$1:…"},
		{`\d{4}-\d\d-\d\d([T ]\d\d:\d\d(:\d\d)?(\.\d+)?Z?)?`, "…"},
		{`SHA256:\S+`, "SHA256:…"},
	} {
		out = regexp.MustCompile(p.is).ReplaceAllString(out, p.becomes)
	}
	return out
}

// sameAsKept compares a text with the file that keeps it, or writes it anew with
// ROPESWING_UPDATE.
func sameAsKept(t *testing.T, file, text string) {
	t.Helper()
	if os.Getenv("ROPESWING_UPDATE") != "" {
		if text == "" {
			return
		}
		require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
		return
	}
	want, err := os.ReadFile(file)
	if text == "" && os.IsNotExist(err) {
		return // a page without commands
	}
	require.NoError(t, err)
	kept, now := strings.Split(string(want), "\n"), strings.Split(text, "\n")
	for n := 0; n < max(len(kept), len(now)); n++ { // not assert.Equal: it would print all of both
		if n >= len(kept) || n >= len(now) || kept[n] != now[n] {
			t.Errorf("%s:%d: it prints\n%s\nROPESWING_UPDATE=1 go test ./cmd/ropeswing -run Guide writes it anew; read what changed",
				file, n+1, strings.Join(now[min(n, len(now)):min(n+3, len(now))], "\n"))
			return
		}
	}
}

// runsOn matches the examples that do not end by themselves, ask devices, need a history or
// gear of the user's, or are run elsewhere.
var runsOn = regexp.MustCompile(`--(watch|stay|shell|every|since|map|stand-ins|at)\b|our-gear|^ropeswing (push|stand-in|rehearse|demo)`)

// forExamples is a folder with the demo and the files that the examples of the help name.
func forExamples(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, demo.Files()))
	seen := os.DirFS(filepath.Join(dir, demo.Seen))
	require.NoError(t, os.CopyFS(dir, seen)) // the lists of single devices
	require.NoError(t, os.CopyFS(filepath.Join(dir, "seen"), seen))
	require.Equal(t, 0, run(t, dir, "observe", demo.Seen, "-w", "observed").Code)
	for _, state := range []string{"before", "after", "bad-morning/observed"} {
		require.NoError(t, os.CopyFS(filepath.Join(dir, state), os.DirFS(filepath.Join(dir, "observed"))))
	}
	require.NoError(t, os.Mkdir(filepath.Join(dir, "last-week"), 0o755))
	for _, file := range []string{"skerry.plan.yaml", "skerry.ledger"} {
		text, err := os.ReadFile(filepath.Join(dir, "bad-morning", file))
		require.NoError(t, err)
		write(t, dir, "last-week/"+file, string(text))
	}
	write(t, dir, "sheet.json", run(t, dir, "steps", "observed", "-o", "json").Out)
	write(t, dir, "needs.csv", "name,hosts\ndesks,42\nguests,100\n")
	write(t, dir, "segments.csv", "name,hosts\noffice,42\nmanage,10\n")
	write(t, dir, "nets.csv", "name,prefix,gateway\noffice,10.1.0.0/24,10.1.0.1\n")
	write(t, dir, "inventory.csv", "name,address,kind\nrtr,10.1.0.1,router\nsw,10.1.0.2,switch\ntill,10.1.0.9,till\n")
	write(t, dir, "cables.csv", "from,to\nrtr 1,sw 1\ntill eth0,sw 2\n")
	write(t, dir, "ports.csv", "beam0,ge0\nlan0,ge1\n")
	write(t, dir, "prefixes.txt", "10.48.0.0/24\n10.48.1.0/24\n")
	for from, to := range map[string]string{"../../../internal/standin/lamps.form": "lamps.form",
		"../../../demo/skerry-lights/texts/quay-edge.txt": "running.txt"} {
		text, err := os.ReadFile(from)
		require.NoError(t, err)
		write(t, dir, to, string(text))
	}
	write(t, dir, "interfaces.tmpl", "{{range .interfaces}}{{.interface}}\n{{end}}")
	return dir
}

// Every plan that the guide shows whole can be read.
func TestEveryPlanOfTheGuideIsRead(t *testing.T) {
	t.Parallel()
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
			assert.Contains(t, []int{0, 1}, r.Code, "%s:\n%s\n%s%s", name, text, r.Out, r.Err)
		}
	}
	assert.Greater(t, whole, 2)
}
