package devicestest

import (
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// formOf is the form of a language that stand-ins speak.
func formOf(t *testing.T, dir, language string) string {
	t.Helper()
	text, err := os.ReadFile("../../../internal/standin/" + language + ".form")
	require.NoError(t, err)
	write(t, dir, language+".form", string(text))
	return language + ".form"
}

// texts writes all devices of the demo in a language.
func texts(t *testing.T, dir, language string) string {
	t.Helper()
	r := run(t, dir, "export", "form", formOf(t, dir, language), "--to", language, "-w")
	require.Equal(t, 0, r.Code, r.Err)
	return language
}

// All devices of the demo, written by a form and read again, are the plan; so they are where the form was learnt from three of them, and
// in the language of either kind of gear.
func TestWrittenAndReadAgainItIsThePlan(t *testing.T) {
	t.Parallel()
	for _, language := range []string{"lamps", "kelp"} {
		dir := lights(t)
		folder := texts(t, dir, language)
		learnt := []string{"learn"}
		for _, d := range []string{"quay-core", "quay-edge", "mole-rtr"} {
			learnt = append(learnt, filepath.Join(folder, d+".txt"))
		}
		r := run(t, dir, append(learnt, "--to", "learnt.form", "--name", "learnt "+language, "-w")...)
		require.Equal(t, 0, r.Code, r.Err)
		assert.Regexp(t, `^\d+ of \d+ lines understood; \d+ of \d+ values of quay-core found$`, first(r.Out))
		g := regexp.MustCompile(`(\d+) of (\d+) lines`).FindStringSubmatch(r.Out)
		assert.Equal(t, g[1], g[2], "every line is understood")
		for form, least := range map[string]string{language + ".form": "all 755 things", "learnt.form": "all 686 things"} {
			r := run(t, dir, "observe", folder, "--form", form, "-w", "seen")
			require.Equal(t, 0, r.Code, r.Err)
			r = run(t, dir, "compare", "seen")
			assert.Equal(t, 0, r.Code, r.Out)
			assert.Contains(t, first(r.Out), "as planned: "+least, "%s by %s", language, form)
			require.NoError(t, os.RemoveAll(filepath.Join(dir, "seen")))
		}
	}
}

// The texts that the demo ships are what gear of that language says of the plan, with a password and a clock in them, of which the first is
// never kept.
func TestTheDemosTextsAreLearntFrom(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	folder := texts(t, dir, "lamps")
	require.NoError(t, os.Remove(filepath.Join(dir, "lamps.form")))
	for _, d := range []string{"quay-core", "quay-edge"} {
		shipped, gear := read(t, dir, "texts/"+d+".txt"), read(t, dir, folder+"/"+d+".txt")
		assert.Equal(t, gear, regexp.MustCompile(`(?m)^(login keeper|clock) .*\n`).ReplaceAllString(shipped, ""),
			"demo/skerry-lights/texts is behind")
	}
	r := run(t, dir, "learn", "texts/quay-core.txt", "texts/quay-edge.txt", "--to", "lamps.form", "-w")
	require.Equal(t, 0, r.Code, r.Err)
	assert.Contains(t, oneLine(r.Out), "login keeper password {any}: what looks like a secret is left out")
	assert.NotContains(t, r.Out+read(t, dir, "lamps.form"), "Xq7")
	assert.Contains(t, r.Out, "next: a text of mole-sw shows")
	assert.Contains(t, r.Out, "next: ropeswing observe TEXT --form lamps.form")
	r = run(t, dir, "learn", "texts/quay-core.txt", "--to", "lamps.form", "-w")
	assert.Equal(t, 2, r.Code, "a form that is there is not written over")
	assert.Contains(t, r.Err, "there already")

	r = run(t, dir, "observe", "texts/quay-edge.txt", "--try", "lamps.form", "-o", "csv")
	assert.Contains(t, r.Out, "quay-edge,7,wan0,mtu,1500,1500")
	var v struct {
		Lines, Understood int
		Form              string
		Devices           []struct {
			Device        string
			Values, Found int
		}
		Questions []struct{ Line, Says string }
	}
	require.NoError(t, json.Unmarshal([]byte(run(t, dir, "learn", "texts/quay-core.txt", "-o", "json").Out), &v))
	assert.Equal(t, v.Lines, v.Understood)
	assert.Contains(t, v.Form, "socket {interface}")
	assert.NotEmpty(t, v.Questions)
}

// A text that is not all of the device, since the form has no line for what is set, is told and is no success: a port that is to be down
// would come up.
func TestWhatAFormCannotSayIsNoSuccess(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "two.plan.yaml", strings.Replace(twoPlan, "address: 10.77.0.0}", "address: 10.77.0.0, admin: down}", 1))
	write(t, dir, "lit.form", "# lit, form 1\nkeeper {device}\nsocket {interface}\n  lamp lit\n  number {address}/{length}\n")
	r := run(t, dir, "export", "form", "lit.form", "r1")
	assert.Equal(t, 1, r.Code)
	assert.Contains(t, r.Err, "r1: the form has no line for admin of up (down)")
	assert.Equal(t, 0, run(t, dir, "export", "form", "lit.form", "r2").Code)
}

// Steps are said as the lines to type, and what takes them back; what the form has no line for is told.
func TestStepsAreLinesToType(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	formOf(t, dir, "lamps")
	r := run(t, dir, "steps", "moving-day/skerry.plan.yaml", "--form", "lamps.form")
	lines := regexp.MustCompile(` +`).ReplaceAllString(r.Out, " ")
	assert.Contains(t, lines, "type socket to-quay\n also number 198.51.100.33 over 255.255.255.248\n back\n")
	assert.Contains(t, lines, "take back socket to-quay\n not also number 198.51.100.33 over 255.255.255.248\n back\n")
	assert.Contains(t, lines, "type not road 2001:db8:5ea::/48 by 2001:db8:ca:4::2 order 1\n road 2001:db8:5ea::/48 by 2001:db8:ca:1::2 "+
		"order 1\n")
	assert.Contains(t, r.Out, "the form has no line for its watch", "a watch is in no list")

	// without a word that takes lines away, what has to be taken away is not said
	text := strings.ReplaceAll(read(t, dir, "lamps.form"), "remove: not {line}\n", "")
	write(t, dir, "less.form", text)
	r = run(t, dir, "steps", "moving-day/skerry.plan.yaml", "--form", "less.form", "-o", "markdown")
	assert.Contains(t, oneLine(r.Out), "the form does not say what takes a line away")
	assert.Contains(t, r.Out, "- type:")
	r = run(t, dir, "steps", "moving-day/skerry.plan.yaml", "--form", "lamps.form", "-o", "json")
	assert.Contains(t, r.Out, `"typed":`)
}

// What is no text of the device is refused, with one clear line, and nothing is written.
func TestTextsThatAreNone(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	write(t, dir, "quay-edge.txt", "a \x00 b")
	write(t, dir, "empty.txt", "\n\n")
	write(t, dir, "quay-core.txt", "It was a dark night.\nNothing stirred.\n")
	write(t, dir, "bad.form", "# bad, form 1\nport {interfce}\n")
	write(t, dir, "escape.txt", "keeper quay-core\nsocket p1\x1b[2J\n")
	for _, x := range []struct {
		args []string
		says string
	}{
		{[]string{"learn"}, "learn from what?"},
		{[]string{"learn", "quay-edge.txt"}, "it is a binary file"},
		{[]string{"learn", "empty.txt", "--device", "quay-edge"}, "it is empty"},
		{[]string{"learn", "quay-core.txt"}, "is it a text of that device?"},
		{[]string{"learn", "empty.txt"}, "nothing is known of empty; name the device"},
		{[]string{"learn", "quay-core.txt", "--device", "quay-cor"}, "did you mean quay-core?"},
		{[]string{"learn", "none.txt", "--device", "quay-core"}, "no such file"},
		{[]string{"observe", "quay-core.txt", "--form", "bad.form"},
			"bad.form: line 2, column 6: a line about a device has no slot {interfce}; did you mean {interface}?"},
		{[]string{"observe", "quay-core.txt", "--form", formOf(t, dir, "lamps")}, "none of its 2 lines is like a line of the form"},
		{[]string{"export", "form"}, "name the form"},
		{[]string{"export", "form", "quay-core.txt"}, "a form begins with a line that names the gear"},
	} {
		r := run(t, dir, x.args...)
		assert.Equal(t, 2, r.Code, "%v", x.args)
		assert.Contains(t, r.Err, x.says, "%v", x.args)
		assert.Empty(t, r.Out, "%v", x.args)
	}
	r := run(t, dir, "observe", "escape.txt", "--form", "lamps.form", "--unread")
	assert.Equal(t, 0, r.Code, r.Err)
	assert.NotContains(t, r.Out, "\x1b[2J")
	assert.Contains(t, r.Out, "not read")
}

// What practitioners write on each port, its note, is found, compared, set by a step, and drafted.
func TestNotesAreCompared(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, "two.plan.yaml", strings.Replace(twoPlan, "up: {segment: link, address: 10.77.0.0}",
		`up: {segment: link, address: 10.77.0.0, note: "to r2, by the tower"}`, 1))
	write(t, dir, "r1.csv", "device,interface,admin,description\nr1,lan,up,\nr1,up,up,to r3\n")
	require.Equal(t, 0, run(t, dir, "observe", "r1.csv", "-w", "seen").Code)
	assert.Contains(t, oneLine(run(t, dir, "compare", "seen").Out), "r1 note up different to r2, by the tower to r3")
	assert.Contains(t, oneLine(run(t, dir, "steps", "seen").Out), "up note: to r2, by the tower (was: up note: to r3)")
	r := run(t, dir, "check", "--with", "r1: up note: other words")
	assert.NotEqual(t, 2, r.Code, r.Err)
	assert.Contains(t, run(t, dir, "draft", "seen").Out, `note: "to r3"`)
}

// A form is learnt on: what was corrected by hand stays. Where nothing is known, kinds of values tell what they can, as a guess.
func TestLearningOnAndAlone(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	require.Equal(t, 0, run(t, dir, "learn", "texts/quay-core.txt", "--to", "lamps.form", "-w").Code)
	text := read(t, dir, "lamps.form")
	require.NotContains(t, text, "load {mtu}")
	write(t, dir, "lamps.form", strings.Replace(text, "print style long\n", "remove: not {line}\nprint style {any}\n", 1))
	r := run(t, dir, "learn", "texts/quay-edge.txt", "--on", "lamps.form", "-w")
	require.Equal(t, 0, r.Code, r.Err)
	assert.Regexp(t, `lamps.form: \d+ lines? came to it`, r.Err)
	text = read(t, dir, "lamps.form")
	assert.Contains(t, text, "  load {mtu}\n")
	assert.Contains(t, text, "print style {any}\n")
	assert.NotContains(t, text, "print style long")
	assert.Equal(t, 1, strings.Count(text, "socket {interface}"))

	empty := t.TempDir()
	write(t, empty, "list.txt", "lan0 is up\n  answers to 10.48.1.1/26\nlan1 is down\n  answers to 10.48.1.65/26\n")
	r = run(t, empty, "learn", "list.txt")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, "--alone from the text alone")
	r = run(t, empty, "learn", "list.txt", "--alone", "-w")
	require.Equal(t, 0, r.Code, r.Err)
	assert.Equal(t, "4 of 4 lines of list understood by kinds of values alone: all of it is a guess", first(r.Out))
	assert.Contains(t, oneLine(run(t, empty, "observe", "list.txt").Out), "list.txt list form 2 2",
		"the form beside the text is found by itself")
}
