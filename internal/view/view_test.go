package view

import (
	"bytes"
	"encoding/csv"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/finding"
	"ropeswing/core/source"
)

func TestCleanLetsNothingThroughThatATerminalObeys(t *testing.T) {
	for in, want := range map[string]string{
		"plain äöü 漢字":      "plain äöü 漢字",
		"\x1b[31mred":       `\u001b[31mred`,
		"bell\a":            `bell\u0007`,
		"c1 \u009b31m":      `c1 \u009b31m`,
		"turn \u202e round": `turn \u202e round`,
		"zero\u200fwidth":   `zero\u200fwidth`,
		"bad \xff byte":     `bad \xff byte`,
		"real \ufffd mark":  "real \ufffd mark",
		"a\nb":              `a\u000ab`,
		"del\x7f":           `del\u007f`,
	} {
		assert.Equal(t, want, Clean(in))
	}
}

func FuzzClean(f *testing.F) {
	f.Add("\x1b]0;title\a")
	f.Add("\u009b\xff\u2066")
	f.Fuzz(func(t *testing.T, s string) {
		out := Clean(s)
		require.NotContains(t, out, "\x1b")
		require.NotContains(t, out, "\u009b")
		require.NotContains(t, out, "\n")
	})
}

// stripped is text as it comes out of a plain writer.
func stripped(s string) string {
	var b bytes.Buffer
	Plain{&b}.Write([]byte(s))
	return b.String()
}

func TestPlainDropsLooksAndNothingElse(t *testing.T) {
	styled := bad.Render("red") + " and " + bold.Render("bold") + ", äöü" + faint.Render("")
	assert.Equal(t, "red and bold, äöü", stripped(styled))
	assert.Equal(t, 17, columns(styled))
	assert.Equal(t, "", stripped("\x1b[1;31m"))
	var b bytes.Buffer
	n, err := Plain{&b}.Write([]byte(styled))
	assert.NoError(t, err)
	assert.Equal(t, len(styled), n, "the writer takes all it is given")
}

var sample = Table{
	Columns: []Column{{Key: "device", Title: "device"}, {Key: "n", Title: "number", Right: true}, {Key: "text", Title: "a longer text"},
		{Key: "more", Title: "more", Wide: true}, {Key: "none", Title: "none"}},
	Rows: [][]string{
		{"quay-edge", "7", "short", "x1", ""},
		{"tern-rock", "1234", "words that go on for a while, and then some more of them", "x2", ""},
	},
}

func TestTableInPlainText(t *testing.T) {
	var b bytes.Buffer
	sample.Text(&b, 80, "", false)
	assert.Equal(t, strings.TrimLeft(`
device     number  a longer text
quay-edge       7  short
tern-rock    1234  words that go on for a while, and then some more of them
`, "\n"), stripped(b.String()), "columns with nothing in them and wide ones are left out")
}

func TestTableFoldsToTheWidth(t *testing.T) {
	var b bytes.Buffer
	sample.Text(&b, 40, "  ", true)
	text := stripped(b.String())
	for _, line := range strings.Split(text, "\n") {
		assert.LessOrEqual(t, columns(line), 40, line)
	}
	assert.Equal(t, strings.TrimLeft(`
  device     number  a longer text  more
  quay-edge       7  short          x1
  tern-rock    1234  words that go  x2
                     on for a
                     while, and
                     then some
                     more of them
`, "\n"), text)
}

func TestAnAddressIsNeverBroken(t *testing.T) {
	var b bytes.Buffer
	Table{Columns: []Column{{Title: "a"}, {Title: "b"}},
		Rows: [][]string{{"2001:db8:5ea:110::/64 10.48.1.0/26", "2001:db8:5ea:110:ffff:ffff:ffff:ffff"}}}.Text(&b, 30, "", false)
	assert.Contains(t, b.String(), "2001:db8:5ea:110::/64 ")
	assert.Contains(t, b.String(), "2001:db8:5ea:110:ffff:ffff:ffff:ffff")
}

func TestAnEmptyTableSaysSo(t *testing.T) {
	var b bytes.Buffer
	Table{Columns: sample.Columns, Empty: "no devices"}.Text(&b, 80, "", false)
	assert.Equal(t, "no devices\n", b.String())
}

func TestTableAsCSVAndMarkdown(t *testing.T) {
	table := Table{Columns: []Column{{Key: "a_key", Title: "a title"}, {Key: "n", Title: "n", Right: true}},
		Rows: [][]string{{"x, \"y\"", "1"}, {"p | q", "2"}}}
	var b bytes.Buffer
	require.NoError(t, table.CSV(&b))
	rows, err := csv.NewReader(&b).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"a_key", "n"}, {"x, \"y\"", "1"}, {"p | q", "2"}}, rows)
	b.Reset()
	table.Markdown(&b)
	assert.Equal(t, "| a title | n |\n| --- | ---: |\n| x, \"y\" | 1 |\n| p \\| q | 2 |\n", b.String())
}

func TestOnlyTheValueOfAField(t *testing.T) {
	type row struct {
		Name  string   `json:"name"`
		Count int      `json:"count"`
		Up    bool     `json:"up"`
		List  []string `json:"list"`
	}
	data := []row{{"a", 18446744, true, []string{"x", "y"}}, {"b", 2, false, nil}}
	for field, want := range map[string]string{"name": "a\nb\n", "count": "18446744\n2\n", "up": "true\nfalse\n", "list": "x\ny\n<nil>\n"} {
		var b bytes.Buffer
		require.NoError(t, Only(&b, data, field))
		assert.Equal(t, want, b.String(), field)
	}
	var b bytes.Buffer
	assert.ErrorContains(t, Only(&b, data, "nmae"), "did you mean name?")
	assert.ErrorContains(t, Only(&b, data[0], "zzzzzzzz"), "there are count, list, name, up")
}

func TestFindingWithItsLine(t *testing.T) {
	file := source.New("x.plan.yaml", []byte("ropeswing: 1\nsegments:\n\t  a: {vlan: 4095}\n"))
	start := bytes.Index(file.Text, []byte("4095"))
	f := finding.New(finding.BadValue, source.Place{File: file, Start: start, End: start + 4}, "too large").Mend("write less")
	var b bytes.Buffer
	FindingText(&b, f, "ropeswing", 80, false)
	assert.Equal(t, strings.TrimLeft(`
x.plan.yaml:3:14: error: too large (bad-value)
     3 |       a: {vlan: 4095}
       |                 ^^^^
  remedy: write less
`, "\n"), stripped(b.String()), "the caret stands under what is meant, tab or no tab")
}

func TestALongLineIsCutAroundItsPlace(t *testing.T) {
	line := "  a: [" + strings.Repeat("one, ", 60) + "WRONG" + strings.Repeat(", two", 60) + "]"
	file := source.New("x", []byte(line))
	start := strings.Index(line, "WRONG")
	var b bytes.Buffer
	FindingText(&b, finding.New(finding.BadValue, source.Place{File: file, Start: start, End: start + 5}, "x"), "ropeswing", 80, false)
	lines := strings.Split(stripped(b.String()), "\n")
	for _, l := range lines {
		assert.LessOrEqual(t, columns(l), 80, l)
	}
	at := strings.Index(lines[1], "WRONG")
	require.Positive(t, at)
	shown := []rune(lines[1][:at])
	assert.Equal(t, len(shown), strings.Index(lines[2], "^^^^^"))
	assert.Contains(t, lines[1], "…")
}

func TestHeadlinesOfAPlan(t *testing.T) {
	for want, all := range map[string][]finding.Finding{
		"Lights: nothing wrong":       nil,
		"Lights: 1 error":             {{Name: finding.DuplicateAddress}},
		"Lights: 2 errors, 1 warning": {{Name: finding.DuplicateAddress}, {Name: finding.HostBitsSet}, {Name: finding.StaticHidden}},
		"Lights: 1 warning":           {{Name: finding.StaticHidden}},
	} {
		assert.Equal(t, want, NewFindings("Lights", "f", "", "", "ropeswing", true, all, nil).Headline())
	}
	assert.Equal(t, "f cannot be used: 1 error",
		NewFindings("Lights", "f", "", "", "ropeswing", false, []finding.Finding{{Name: finding.UnknownKey}}, nil).Headline())
}

func TestPortsThatAreAlikeShareARow(t *testing.T) {
	row := func(name, state, cabled string) []string {
		return []string{"sw", name, "", "10", state, "port", cabled, "l"}
	}
	got := foldAlike([][]string{
		row("p1", "down", ""), row("p2", "down", ""), row("p3", "up", "h:port"), row("p4", "down", ""), row("p5", "down", ""), row("p6", "down",
			""), row("p8", "down", ""), row("q9", "down", ""),
	})
	var names []string
	for _, r := range got {
		names = append(names, r[1])
	}
	assert.Equal(t, []string{"p1..p2", "p3", "p4..p6", "p8", "q9"}, names)
}

func TestShellWords(t *testing.T) {
	assert.Equal(t, "quay-edge:wan0", ShellWord("quay-edge:wan0"), "what needs no quotes has none")
	for _, word := range []string{"", "{}", "!", "it's", "a b", "$HOME", "`id`", "*", "~", "#x", "a\\b", "x=y", "-n", "a;b", "é", "p1..p3",
		"\"", "a\tb"} {
		out, err := exec.Command("sh", "-c", "printf '%s|' "+ShellWord(word)).Output()
		require.NoError(t, err, "%q", word)
		assert.Equal(t, word+"|", string(out), "a shell takes it for one word")
	}
}
