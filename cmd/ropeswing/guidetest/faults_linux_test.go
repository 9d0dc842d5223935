package guidetest

import (
	"bytes"
	"context"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/demo"
	"ropeswing/internal/clitest"
)

// writing is a command that writes, and the folder it begins with.
type writing struct {
	args  []string
	begin func(t *testing.T, dir string)
}

// writings are all commands that write.
var writings = map[string]writing{
	"assign": {[]string{"assign", "-w"}, func(t *testing.T, dir string) {
		write(t, dir, "f.plan.yaml", "ropeswing: 1\nblocks: {home: 10.1.0.0/16}\nsegments: {a: {hosts: 20}, b: {hosts: 30}}\n")
		write(t, dir, "f.ledger", "ropeswing-ledger 1\na subnet 10.1.4.0/27\n")
	}},
	"first assign": {[]string{"assign", "-w"}, func(t *testing.T, dir string) {
		write(t, dir, "f.plan.yaml", "ropeswing: 1\nblocks: {home: 10.1.0.0/16}\nsegments: {a: {hosts: 20}, b: {hosts: 30}}\n")
	}},
	"rename": {[]string{"rename", "a", "office", "-w"}, func(t *testing.T, dir string) {
		write(t, dir, "f.plan.yaml", "ropeswing: 1\ninclude: sites/x.yaml\nblocks: {home: 10.1.0.0/16}\nsegments: {a: {hosts: 20}}\n")
		require.NoError(t, os.Mkdir(filepath.Join(dir, "sites"), 0o755))
		write(t, dir, "sites/x.yaml", "ropeswing: 1\ndevices: {r: {is: router, interfaces: {e: {segment: a}}}}\n")
		write(t, dir, "f.ledger", "ropeswing-ledger 1\na subnet 10.1.4.0/27\nr:e address 10.1.4.1\n")
	}},
	"pin": {[]string{"pin", "r", "-w"}, func(t *testing.T, dir string) {
		write(t, dir, "f.plan.yaml", "ropeswing: 1\nwants: {}\nsegments: {a: {prefix: 10.1.0.0/24}, b: {prefix: 10.2.0.0/24}, l: {prefix: "+
			"10.0.0.0/31}}\ndevices:\n  r: {is: router, interfaces: {a: {segment: a, address: 1}, l: {segment: l, address: first}}}\n  s: "+
			"{is: router, interfaces: {b: {segment: b, address: 1}, l: {segment: l, address: last}}}\n")
	}},
	"new": {[]string{"new", "farm", "--block", "10.48.0.0/20", "-w"}, func(t *testing.T, dir string) {}},
	"export": {[]string{"export", "zones", "--domain", "x.example", "--server", "r", "--serial", "7", "--to", "zones", "-w"}, func(t *testing.T, dir string) {
		write(t, dir, "f.plan.yaml", "ropeswing: 1\nsegments: {a: {prefix: 10.1.0.0/24}}\ndevices: {r: {is: router, interfaces: {a: "+
			"{segment: a, address: 1}}}}\n")
		require.NoError(t, os.Mkdir(filepath.Join(dir, "zones"), 0o755))
		write(t, dir, "zones/x.example.zone", "; old\n")
	}},
	"observe": {[]string{"observe", "list.csv", "-w", "seen"}, func(t *testing.T, dir string) {
		write(t, dir, "list.csv", "device,interface,admin,address\nr,e,up,10.0.0.1/24\ns,e,up,10.0.0.2/24\n")
		require.NoError(t, os.Mkdir(filepath.Join(dir, "seen"), 0o755))
		write(t, dir, "seen/r.json", `{"ropeswing_observed":1,"device":"r","sources":[{"file":"x","format":"csv"}],"known":["vlans"]}`)
	}},
	"draft": {[]string{"draft", "seen", "--to", "new.plan.yaml", "-w"}, func(t *testing.T, dir string) {
		require.NoError(t, os.Mkdir(filepath.Join(dir, "seen"), 0o755))
		write(t, dir, "seen/r.json", `{"ropeswing_observed":1,"device":"r","sources":[{"file":"x","format":"csv"}],"known":["interfaces"],"interfaces":[{"name":"e","admin_status":"up"}]}`)
	}},
	"capture": {[]string{"ping", "h", "10.1.0.1", "--capture", "x.pcapng"}, func(t *testing.T, dir string) {
		write(t, dir, "f.plan.yaml", "ropeswing: 1\nsegments: {a: {prefix: 10.1.0.0/24}}\ndevices:\n  r: {is: router, interfaces: {a: "+
			"{segment: a, address: 1}}}\n  h: {is: host, interfaces: {e: {segment: a, address: 2}}}\ncables: [r:a to h:e]\n")
		write(t, dir, "x.pcapng", "\x0a\x0d\x0d\x0aold")
	}},
}

// holds is what a folder's files hold. A time in a state is of no matter.
func holds(t *testing.T, dir string) map[string]string {
	t.Helper()
	all := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		text, err := os.ReadFile(path)
		all[strings.TrimPrefix(path, dir+"/")] = regexp.MustCompile(`"taken": "[^"]*"`).ReplaceAllString(string(text), "")
		return err
	}))
	return all
}

// Every operation on files of every command that writes fails in turn, and is the last
// before the command is killed. What is there then is as before, or as meant: wholly, and
// nothing beside it. With ROPESWING_FAULTS=all every one is tried, else some.
func TestEveryCommandThatWritesSurvivesFaults(t *testing.T) {
	t.Parallel()
	strace, err := exec.LookPath("strace")
	if err != nil {
		t.Skip("needs strace (Debian's strace) to inject faults")
	}
	if out, err := exec.Command(strace, "-o", os.DevNull, "true").CombinedOutput(); err != nil {
		t.Skipf("strace may not trace here: %s", out)
	}
	step := clitest.Often(29, 7)
	if os.Getenv("ROPESWING_FAULTS") == "all" {
		step = 1
	}
	calls := []string{"openat", "write", "fsync", "fchmod", "renameat", "renameat2", "unlinkat", "mkdirat", "read", "newfstatat", "flock",
		"getdents64"}
	var tried, old, meant int
	var mutex sync.Mutex
	turn := make(chan struct{}, 4)
	var group sync.WaitGroup
	for name, w := range writings {
		before, after := t.TempDir(), t.TempDir()
		w.begin(t, before)
		w.begin(t, after)
		r := run(t, after, w.args...)
		require.Equal(t, 0, r.Code, "%s: %s", name, r.Err)
		was, want := holds(t, before), holds(t, after)
		require.NotEqual(t, was, want, name)
		for i, call := range calls {
			faults := []string{"error=EIO", "error=ENOSPC", "signal=KILL"}
			if first := (i + len(name)) % 3; step > 7 { // one of them of each call, another of the next
				faults = faults[first : first+1]
			}
			for _, fault := range faults {
				for n := 1 + i%step; n < 400; n += step {
					dir := t.TempDir()
					w.begin(t, dir)
					log := filepath.Join(t.TempDir(), "log")
					turn <- struct{}{}
					group.Add(1)
					reached := make(chan bool, 1)
					go func() {
						defer func() { <-turn; group.Done() }()
						ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
						defer cancel()
						cmd := exec.CommandContext(ctx,
							strace, append([]string{"-f", "-qq", "-o", log, "-e", "trace=" + call, "-e",
								fmt.Sprintf("inject=%s:%s:when=%d", call, fault, n), program}, w.args...)...)
						cmd.Dir, cmd.Env = dir, []string{"PATH=/nowhere", "HOME=/nowhere", "GOMAXPROCS=1"}
						out, _ := cmd.CombinedOutput()
						text, _ := os.ReadFile(log)
						hit := bytes.Contains(text, []byte("INJECTED")) || bytes.Contains(text, []byte("killed by SIGKILL"))
						reached <- hit
						if !hit {
							return
						}
						code := cmd.ProcessState.ExitCode()
						run(t, dir, "show", "devices") // the next command finishes what was begun
						run(t, dir, "draft", "seen")
						run(t, dir, "export", "zones", "--domain", "x.example", "--server", "r", "--serial", "7", "--to", "zones")
						about := fmt.Sprintf("%s, %s %d %s: exit %d\n%s", name, call, n, fault, code, out)
						assert.NotContains(t, string(out), "goroutine ", about)
						got := holds(t, dir)
						settled(got)
						mutex.Lock()
						defer mutex.Unlock()
						tried++
						switch {
						case maps.Equal(got, was):
							old++
							assert.NotEqual(t, 0, code, "%s: it said that it is written", about)
						default:
							meant++
							assert.Equal(t, want, got, about)
						}
					}()
					if !<-reached {
						break // the command has no so many of them
					}
				}
			}
		}
	}
	group.Wait()
	t.Logf("%d faults: %d times as before, %d times as meant", tried, old, meant)
	assert.Greater(t, old, clitest.Often(5, 50))
	assert.Greater(t, meant, clitest.Often(1, 10))
}

// settled leaves out what a writer that was killed left and the next writer of the folder
// takes away: only one that writes does.
func settled(all map[string]string) {
	for name := range all {
		if strings.Contains(filepath.Base(name), ".ropeswing~") {
			delete(all, name)
		}
	}
}

// Commands that write at once wait for one another, by whatever link they come: no change
// of any is lost.
func TestWritersThroughLinksLoseNothing(t *testing.T) {
	t.Parallel()
	rounds := clitest.Often(1, 3)
	if n, err := strconv.Atoi(os.Getenv("ROPESWING_ROUNDS")); err == nil {
		rounds = n
	}
	for round := range rounds {
		dir := t.TempDir()
		real := filepath.Join(dir, "real")
		require.NoError(t, os.CopyFS(real, demo.Files()))
		roads := []string{real}
		for n := range 3 {
			link := filepath.Join(dir, fmt.Sprint("link", n))
			require.NoError(t, os.MkdirAll(link, 0o755))
			require.NoError(t, os.Symlink(filepath.Join(real, demo.Plan), filepath.Join(link, demo.Plan)))
			roads = append(roads, link)
		}
		names := []string{"tablet", "desk-7", "pilot-desk", "tern-lamp", "gull-lamp", "far-lamp", "mole-sw", "tern-cam"}
		var group sync.WaitGroup
		for n, name := range names {
			group.Go(func() {
				r := run(t, roads[(n+round)%len(roads)], "rename", name, "new-"+name, "-w")
				assert.Equal(t, 0, r.Code, r.Err)
			})
			group.Go(func() {
				list := fmt.Sprintf("list%d.csv", n)
				assert.NoError(t, os.WriteFile(filepath.Join(dir, list), fmt.Appendf(nil, "device,interface,admin\nr,e%d,up\n", n), 0o644))
				r := run(t, dir, "observe", list, "-w", "seen")
				assert.Equal(t, 0, r.Code, r.Err)
			})
		}
		group.Wait()
		all := run(t, real, "show", "devices", "--only", "device").Out
		state, err := os.ReadFile(filepath.Join(dir, "seen", "r.json"))
		require.NoError(t, err)
		for n, name := range names {
			assert.Contains(t, all, "new-"+name+"\n")
			assert.Contains(t, string(state), fmt.Sprintf(`"name": "e%d"`, n))
		}
		assert.Equal(t, 0, run(t, real, "assign", "--check").Code, "the ledger went along")
	}
}
