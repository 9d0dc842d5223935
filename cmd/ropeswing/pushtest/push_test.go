package pushtest

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/internal/clitest"
)

// asked compares the stand-ins with the plan: how many differences there are.
func asked(t *testing.T, dir, access string) int {
	t.Helper()
	r := run(t, dir, "compare", "--live", "--access", access, "-o", "json")
	var v struct{ Differences []any }
	require.NoError(t, json.Unmarshal([]byte(r.Out), &v), r.Out+r.Err)
	return len(v.Differences)
}

// The bad morning, asked live, is mended by push and looked at again; taken back it is as it was.
func TestPushMendsTheBadMorning(t *testing.T) {
	t.Parallel()
	dir, _, who := standIns(t, "bad-morning/observed")
	access := filepath.Join(who, "access.yaml")
	worst := asked(t, dir, access)
	require.Positive(t, worst)
	r := run(t, dir, "push", "--access", access)
	require.Equal(t, 0, r.Code, r.Out+r.Err)
	assert.Equal(t, "5 steps on 5 devices to the plan; nothing was sent", first(r.Out))
	assert.Equal(t, worst, asked(t, dir, access), "nothing was sent")
	assert.NoFileExists(t, filepath.Join(dir, "skerry.push.jsonl"))
	r = run(t, dir, "push", "--access", access, "-w")
	assert.Equal(t, 1, r.Code, "nobody says yes: there is no terminal")
	assert.Equal(t, worst, asked(t, dir, access))
	r = run(t, dir, "push", "--access", access, "-w", "--yes")
	require.Equal(t, 0, r.Code, r.Out+r.Err)
	assert.Equal(t, "done: 5 steps on 5 devices", first(r.Out))
	assert.Equal(t, 0, asked(t, dir, access))
	r = run(t, dir, "push", "--access", access, "-w", "--yes")
	assert.Equal(t, 0, r.Code)
	assert.Equal(t, "the devices are as planned: nothing needs to be sent", first(r.Out), "no step is done twice")
	r = run(t, dir, "push", "--access", access, "--take-back")
	assert.Equal(t, "5 steps on 5 devices to take back; nothing was sent", first(r.Out))
	r = run(t, dir, "push", "--access", access, "--take-back", "-w")
	require.Equal(t, 0, r.Code, r.Out+r.Err)
	assert.Equal(t, worst, asked(t, dir, access), "it is as it was")
	r = run(t, dir, "push", "--access", access, "--take-back", "-w")
	assert.Contains(t, r.Out, "there is nothing to take back")
}

// Killed at any moment, a run goes on: no step is forgotten, none is done twice, and no change is
// left in the air.
func TestPushIsKilledAtAnyMoment(t *testing.T) {
	t.Parallel()
	dir, _, who := standIns(t, "bad-morning/observed")
	access := filepath.Join(who, "access.yaml")
	random := rand.New(rand.NewPCG(7, 7))
	kills := 0
	for try := 0; ; try++ {
		require.Less(t, try, 100)
		cmd := exec.Command(program, "push", "--access", access, "-w", "--yes", "--timer", "30s")
		cmd.Dir = dir
		require.NoError(t, cmd.Start())
		wait := 60 + random.IntN(500)
		if try > clitest.Often(4, 30) {
			wait = 10000
		}
		timer := time.AfterFunc(time.Duration(wait)*time.Millisecond, func() { _ = cmd.Process.Kill() })
		err := cmd.Wait()
		if timer.Stop() {
			require.NoError(t, err)
			break
		}
		kills++
	}
	assert.Greater(t, kills, 0)
	assert.Equal(t, 0, asked(t, dir, access))
	text, err := os.ReadFile(filepath.Join(dir, "skerry.push.jsonl"))
	require.NoError(t, err)
	steps := map[string]int{}
	open := map[string]bool{}
	for line := range strings.Lines(string(text)) {
		var e struct{ Device, Phase, What string }
		require.NoError(t, json.Unmarshal([]byte(line), &e))
		switch e.Phase {
		case "sending", "in force":
			open[e.Device] = true
		case "confirmed":
			steps[e.Device+" "+e.What]++
			delete(open, e.Device)
		case "taken back":
			delete(open, e.Device)
		}
	}
	assert.Empty(t, open, "nothing is left in the air")
	t.Logf("killed %d times; %d steps", kills, len(steps))
}

// Devices that break off in the middle of answers are left as they were, or as they should be; what
// is told of them is one or the other, and pushing again goes on.
func TestPushToDevicesThatMakeTrouble(t *testing.T) {
	t.Parallel()
	dir, _, who := standIns(t, "bad-morning/observed", "--trouble", "cut,pieces")
	access := filepath.Join(who, "access.yaml")
	for range clitest.Often(2, 6) {
		r := run(t, dir, "push", "--access", access, "-w", "--yes", "--timer", "5s")
		assert.Contains(t, []int{0, 1, 3}, r.Code, r.Out+r.Err)
		if strings.Contains(r.Out+r.Err, "by itself within") {
			time.Sleep(5500 * time.Millisecond)
		}
	}
	text, err := os.ReadFile(filepath.Join(dir, "skerry.push.jsonl"))
	require.NoError(t, err)
	confirmed := map[string]int{}
	for line := range strings.Lines(string(text)) {
		var e struct{ Phase, Device, What string }
		require.NoError(t, json.Unmarshal([]byte(line), &e))
		if e.Phase == "confirmed" {
			confirmed[e.Device+" "+e.What]++
		}
	}
	for step, n := range confirmed {
		assert.Equal(t, 1, n, "%s is not done twice", step)
	}
}

// A device that is not reached behind a change takes it back when its timer has run out: that is waited for, looked at, and told.
func TestAPushTellsWhatADeviceTookBack(t *testing.T) {
	t.Parallel()
	dir, _, who := standIns(t, "bad-morning/observed", "--trouble", "deaf")
	access := filepath.Join(who, "access.yaml")
	before := differences(t, dir, access)
	r := run(t, dir, "push", "--access", access, "-w", "--yes", "--timer", "5s")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, clitest.OneLine(r.Out), "the device took it back when its timer had run out: what is there is what was there before")
	assert.Equal(t, before, differences(t, dir, access))
	assert.Regexp(t, `"phase":"taken back"[^\n]*\n$`, clitest.Read(t, dir, "skerry.push.jsonl"))
}

// differences are those of the stand-ins from the plan that steps set, each in words.
func differences(t *testing.T, dir, access string) map[string]bool {
	r := run(t, dir, "compare", "--live", "--access", access, "-o", "json")
	var v struct {
		Differences []struct{ Device, What, Subject, Found string }
	}
	require.NoError(t, json.Unmarshal([]byte(r.Out), &v), r.Out+r.Err)
	all := map[string]bool{}
	for _, d := range v.Differences {
		if d.What != "oper status" && d.What != "in use" { // they follow
			all[d.Device+" "+d.What+" "+d.Subject+" "+d.Found] = true
		}
	}
	return all
}

// A push that is killed at a random moment leaves each device as it was or as it should be, once the
// timer has run out: nothing in between, and nothing else. What the next push tells to be left is
// what is left. ROPESWING_FAULTS says how often; a few times unless it does.
func TestAPushThatBreaksOffLeavesNothingInBetween(t *testing.T) {
	t.Parallel()
	times := clitest.Often(1, 3)
	if n, err := strconv.Atoi(os.Getenv("ROPESWING_FAULTS")); err == nil {
		times = n
	}
	dir, _, who := standIns(t, "bad-morning/observed")
	access := filepath.Join(who, "access.yaml")
	before := differences(t, dir, access)
	require.Len(t, before, 5)
	random := rand.New(rand.NewPCG(20, 26))
	broken, back := 0, 0
	for range times {
		cmd := exec.Command(program, "push", "--access", access, "-w", "--yes", "--timer", "5s")
		cmd.Dir = dir
		require.NoError(t, cmd.Start())
		timer := time.AfterFunc(time.Duration(200+random.IntN(1500))*time.Millisecond, func() { _ = cmd.Process.Kill() })
		if err := cmd.Wait(); err != nil {
			require.Equal(t, -1, cmd.ProcessState.ExitCode(), "it was killed, and nothing else")
			broken++
			time.Sleep(5200 * time.Millisecond)
		}
		timer.Stop()
		left := differences(t, dir, access)
		for d := range left {
			assert.True(t, before[d], "%s: it was not so before, nor is it planned", d)
		}
		r := run(t, dir, "push", "--access", access)
		require.Equal(t, 0, r.Code, r.Out+r.Err)
		if len(left) == 0 {
			assert.Contains(t, r.Out, "nothing needs to be sent")
			for !strings.Contains(r.Out, "there is nothing to take back") { // a run that broke off and went on is two
				r = run(t, dir, "push", "--access", access, "--take-back", "-w")
				require.Equal(t, 0, r.Code, r.Out+r.Err)
			}
			assert.Equal(t, before, differences(t, dir, access))
			back++
			continue
		}
		assert.Regexp(t, fmt.Sprintf("^%d steps? on ", len(left)), r.Out)
	}
	t.Logf("%d broken off, %d carried out and taken back", broken, back)
}

// Devices without a candidate are told directly, and that is said; what was set is taken back by
// another change.
func TestPushToDevicesWithoutACandidate(t *testing.T) {
	t.Parallel()
	dir, _, who := standIns(t, "bad-morning/observed", "--trouble", "plain")
	access := filepath.Join(who, "access.yaml")
	before := differences(t, dir, access)
	require.Len(t, before, 5)
	r := run(t, dir, "push", "--access", access, "-w", "--yes")
	require.Equal(t, 0, r.Code, r.Out+r.Err)
	assert.Contains(t, r.Err, "mole-rtr has no candidate with a confirmed commit: what is sent runs at once, and no timer takes it back")
	assert.Empty(t, differences(t, dir, access))
	r = run(t, dir, "push", "--access", access, "--take-back", "-w")
	require.Equal(t, 0, r.Code, r.Out+r.Err)
	assert.Equal(t, before, differences(t, dir, access))
}

// A device that refuses a change after part of it took effect, and has no candidate, is looked at: what
// is told is what is there, and no part of a change is left that is not told.
func TestPushToDevicesThatRefuseInPart(t *testing.T) {
	t.Parallel()
	dir, _, who := standIns(t, "bad-morning/observed", "--trouble", "partly")
	access := filepath.Join(who, "access.yaml")
	before := differences(t, dir, access)
	refused := 0
	for range clitest.Often(2, 4) {
		r := run(t, dir, "push", "--access", access, "-w", "--yes")
		left := differences(t, dir, access)
		for d := range left {
			assert.True(t, before[d], "%s: it was not so before, nor is it planned\n%s", d, r.Out)
		}
		if r.Code == 0 {
			assert.Empty(t, left, r.Out)
			break
		}
		assert.Regexp(t, "it was refused, and nothing changed|was refused after part of it was in force, and that part was taken back",
			strings.Join(strings.Fields(r.Out), " "))
		refused++
	}
	assert.Positive(t, refused)
}

// A journal is not believed unseen: an address that is not the device's gets no secret, and a link is not followed.
func TestAJournalIsNotBelievedUnseen(t *testing.T) {
	t.Parallel()
	dir, at, who := standIns(t)
	access := filepath.Join(who, "access.yaml")
	entry := func(where string) string {
		return `{"time":"2026-12-01T10:00:00Z","run":"ab","step":1,"device":"mole-rtr","at":"` + where +
			`","phase":"sending","persist":"a<b","undo":"<x/>"}` + "\n"
	}
	for _, where := range []string{at["quay-edge"][1], "192.0.2.7:830", "quay-edge:830", ""} {
		write(t, dir, "skerry.push.jsonl", entry(where))
		r := run(t, dir, "push", "--access", access, "-w", "--yes")
		assert.Equal(t, 2, r.Code, r.Out+r.Err)
		assert.Contains(t, clitest.OneLine(r.Err), "Nothing was sent there", where)
	}
	write(t, dir, "skerry.push.jsonl", entry(at["mole-rtr"][1]))
	r := run(t, dir, "push", "--access", access, "-w", "--yes")
	assert.Contains(t, r.Err, "it is taken back", "it is where it may be")
	require.NoError(t, os.Rename(filepath.Join(dir, "skerry.push.jsonl"), filepath.Join(dir, "elsewhere")))
	require.NoError(t, os.Symlink("elsewhere", filepath.Join(dir, "skerry.push.jsonl")))
	r = run(t, dir, "push", "--access", access, "-w", "--yes")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "is a link")
}
