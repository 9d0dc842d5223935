package form_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/core/form"
	"ropeswing/core/observed"
)

const lampForm = `# harbour lamp bus, form 1
keeper {device}
print style long
stream {vlan}
  label {vlan-name}
socket {interface}
  tell "{note}"
  lamp {admin: up = lit | down = dark}
  load {mtu}
  drinks {untagged}
  carries {tagged with "," runs "-"}
  number {address} over {mask}
  also number {address} over {mask}
  number {address}/{length}  {family is ipv6} {secondary is no}
  also number {address}/{length}  {family is ipv6} {secondary is yes}
road {destination} over {mask} nowhere  {discard is yes}
road {destination} over {mask} by {next-hop} order {distance}
road {destination}/{length} nowhere  {discard is yes} {family is ipv6}
road {destination}/{length} by {next-hop} order {distance}  {family is ipv6}
rest
`

func parsed(t testing.TB, text string) *form.Form {
	t.Helper()
	f, err := form.Parse(text)
	require.NoError(t, err)
	return f
}

// What a form writes is what the gear itself writes, and read again it is the device.
func TestAFormWritesAndReadsADevice(t *testing.T) {
	f := parsed(t, lampForm)
	for seed := range uint64(10) {
		for _, x := range examples(t, randomPlan(seed)) {
			want := languages[0].written(x.d, x.names)
			assert.Equal(t, want, f.Write(form.Of(x.d, x.names)))
			r := f.Read(want, "")
			require.Len(t, r.Devices, 1)
			assert.Empty(t, r.Unread)
			assert.Equal(t, cells(x.d), cells(r.Observed()[0]))
			assert.Equal(t, want, f.Write(r.Devices[0]), "written, read and written again it is the same text")
		}
	}
	again := parsed(t, f.Text())
	assert.Equal(t, f.Text(), again.Text())
}

// Each fact of the table can be written and read by a slot of its name, in each shape that it may have.
func TestEveryFactIsWrittenAndRead(t *testing.T) {
	values := map[form.Type]string{form.Name: "x7", form.Number: "7", form.Text: "Old line, keep", form.Addr: "2001:db8::7",
		form.Length: "26", form.MAC: "02:00:5e:aa:bb:07", form.Speed: "1000000000", form.Names: "p1\x1fp2\x1fp4",
		form.Numbers: "4\x1f5\x1f6\x1f9"}
	n := 0
	for i := range form.Facts {
		f := &form.Facts[i]
		for _, shape := range f.Shapes() {
			value := values[f.Type]
			if f.Type == form.Words {
				value = f.Words[len(f.Words)-1]
			}
			thing, line := form.Sample(f, value, shape)
			text := "# try, form 1\n" + line + "\n"
			x := parsed(t, text)
			written := x.Write(thing)
			require.NotEmpty(t, strings.TrimSpace(written), line)
			r := x.Read(written, "d")
			require.Empty(t, r.Unread, "%s: %s", line, written)
			assert.Equal(t, value, form.ValueIn(r.Devices[0], f), "%s: %s", line, written)
			n++
		}
	}
	assert.Greater(t, n, len(form.Facts))
}

// A line that no line of the form is like is told, with all of its block, and what it may be about is not known wholly.
func TestWhatIsNotReadIsTold(t *testing.T) {
	f := parsed(t, lampForm)
	text := "keeper quay\nsocket p1\n  lamp lit\n  number 10.0.0.1 over 255.255.255.0\n  spare number 10.0.0.9 over 255.255.255.0\nfence " +
		"north\n  lamp lit\n  load 1500\nroad 10.1.0.0 over 255.255.0.0 by 10.0.0.2 order 1\n"
	r := f.Read(text, "")
	d := r.Observed()[0]
	var lines []int
	for _, u := range r.Unread {
		lines = append(lines, u.Line)
	}
	assert.Equal(t, []int{5, 6, 7, 8}, lines)
	assert.Equal(t, 9, r.Lines)
	assert.False(t, d.Knows(observed.Addresses4), "the line that was not read may be an address")
	assert.True(t, d.Knows(observed.Addresses6))
	assert.True(t, d.Knows(observed.Routes4))
	assert.Equal(t, "10.1.0.0/16", d.Routes[0].To.String())
	assert.Equal(t, observed.Up, d.Interfaces[0].Admin)

	// what two lines read differently stays unread
	two := parsed(t, "# two, form 1\nport {interface}\n  number {mtu}\n  number {untagged}\n")
	r = two.Read("port p1\n  number 7\n", "quay")
	require.Len(t, r.Unread, 1)
	assert.Contains(t, r.Unread[0].Why, "lines 3 and 4 of the form read it differently")

	// a value that contradicts what was read before
	r = f.Read("keeper quay\nsocket p1\n  load 1500\n  load 9000\n", "")
	require.Len(t, r.Unread, 1)
	assert.Contains(t, r.Unread[0].Why, "read before as 1500")

	// a text of several devices is several devices
	r = f.Read("keeper quay\nsocket p1\n  load 1500\nkeeper tern\nsocket p1\n  load 9000\n", "")
	require.Len(t, r.Devices, 2)
	assert.Equal(t, 9000, r.Observed()[1].Interfaces[0].MTU)
}

func TestBadFormsAreRefusedWithTheirPlace(t *testing.T) {
	for text, says := range map[string]string{
		"":                                "line 1, column 1: a form begins",
		"port {interface}":                "line 1, column 1: a form begins",
		"# x, form 2\n":                   "of version 2",
		"# x, form 1\n":                   "it has no lines",
		"# x, form 1\nport {interfce}":    "line 2, column 6: a line about a device has no slot {interfce}; did you mean {interface}?",
		"# x, form 1\nport {note}":        "that is said of a interface, which is named by {interface}",
		"# x, form 1\nport {interface":    "line 2, column 6: the slot that begins here has no }",
		"# x, form 1\nport [ {interface}": "line 2, column 6: the part that begins here has no ]",
		"# x, form 1\nport [ x ]":         "it has no slot",
		"# x, form 1\n{interface}{note}":  "nothing stands between two slots",
		"# x, form 1\n\tport {interface}": "indented by blanks",
		"# x, form 1\nport \x1b[2J":       "control character",
		"# x, form 1\nport {interface} {admin: upp = a | down = b}":         "did you mean up?",
		"# x, form 1\nport {interface} {admin: up = a | down = a}":          "do not tell 'up' from 'down'",
		"# x, form 1\nport {interface} {tagged}":                            "say what parts it",
		"# x, form 1\nport {interface} {mtu as mask}":                       "written in one way only",
		"# x, form 1\nport {interface} {admin is sideways}":                 "up or down, not sideways",
		"# x, form 1\nport {interface}\n  a\n    b\n   c":                   "indented otherwise",
		"# x, form 1\nremove: not it\nport {interface}":                     "{line} in it",
		"# x, form 1\nitem {each interface}":                                "for a line with a block",
		"# x, form 1\nitem {each lamp}\n  x {interface}":                    "there is nothing called 'lamp'",
		"# x, form 1\nitem {count from a by 1} {each interface}\n  x {mtu}": "written {count from 10 by 10}",
		"# x, form 1\nport {interface}\nindent: wide":                       "'indent: tab'",
		"# x, form 1\n" + strings.Repeat("x", 5000):                         "longer than",
	} {
		_, err := form.Parse(text)
		var bad *form.BadForm
		if assert.ErrorAs(t, err, &bad, text) {
			assert.Contains(t, err.Error(), says, text)
			assert.Positive(t, bad.Line)
			assert.Positive(t, bad.Column)
		}
	}
}

// Signs of the gear that a form uses for itself are written with a stroke before them; what is learnt is spelled so.
func TestSignsOfTheGearsOwn(t *testing.T) {
	f := parsed(t, "# signs, form 1\nport \\{name\\} {interface} \\[x\\] {\n  \\# {mtu}\n}\n\\remove: {vlan}\n")
	d := &observed.Device{Name: "q", Interfaces: []observed.Interface{{Name: "p1", MTU: 9}}}
	one := 5
	d.Interfaces[0].Untagged = &one
	text := f.Write(form.Of(d, nil))
	assert.Equal(t, "port {name} p1 [x] {\n  # 9\n}\nremove: 5\n", text)
	assert.Empty(t, f.Read(text, "q").Unread)
	assert.Equal(t, f.Text(), parsed(t, f.Text()).Text())
}

// A part that may be left out is read in any order beside others; blocks that are not indented end by their words; tables are cut by
// their headings.
func TestTextsOfManyStructures(t *testing.T) {
	records := parsed(t, "# r, form 1\npt id={interface}[ sz={mtu}][ tx=\"{note}\"][ u={untagged}]\n")
	d := records.Read("pt id=p1 u=7 tx=\"a b\" sz=9\npt id=p2\n", "q").Observed()[0]
	assert.Equal(t, 9, d.Interfaces[0].MTU)
	assert.Equal(t, "a b", d.Interfaces[0].Description)
	assert.Equal(t, 7, *d.Interfaces[0].Untagged)

	words := parsed(t, "# w, form 1\nopen {interface}\n  size {mtu}\nshut  {end}\n")
	r := words.Read("open p1\nsize 9\nshut\nopen p2\nsize 10\nshut\n", "q")
	assert.Empty(t, r.Unread)
	assert.Equal(t, 10, r.Observed()[0].Interfaces[1].MTU)

	loose := parsed(t, "# l, form 1\nport {interface} is {oper: up = up | down = down}, address {address}/{length}\n  size {mtu}\n")
	r = loose.Read("port lan0 is up, address 10.48.1.1/26\nsize 9\nport lan1 is down, address 10.48.1.65/26\nsize 10\n", "q")
	assert.Empty(t, r.Unread)
	got := r.Observed()[0]
	assert.Equal(t, netip.MustParsePrefix("10.48.1.65/26"), got.Interfaces[1].Addresses[0].Prefix)
	assert.Equal(t, observed.Down, got.Interfaces[1].Oper)

	table := parsed(t, "# t, form 1\nGate  Size  Note\n{interface}  {mtu: none = \"\"}  {note: none = \"\"}\n")
	r = table.Read("Gate  Size  Note\np1    9     a b\np2          to the\n            mole\np3\n", "q")
	assert.Empty(t, r.Unread)
	assert.Equal(t, "to the mole", r.Observed()[0].Interfaces[1].Description)
	assert.Len(t, r.Observed()[0].Interfaces, 3)

	skip := parsed(t, "# s, form 1\nclock {any}\nport {interface} {mtu}\n")
	r = skip.Read("clock from 10.0.0.1 and 10.0.0.2\nport p1 9\n", "q")
	assert.Empty(t, r.Unread)
	assert.NotContains(t, skip.Write(r.Devices[0]), "clock", "what is passed over is not written")

	tabs := parsed(t, "# tabs, form 1\nindent: tab\nport {interface}\n  size {mtu}\n")
	assert.Equal(t, "port p1\n\tsize 9\n", tabs.Write(tabs.Read("port p1\n\tsize 9\n", "q").Devices[0]))
}

// A text of 100,000 lines is read in a second or so, and no line takes long, whatever it holds: the bound is for a machine that is busy.
func TestReadingIsLinear(t *testing.T) {
	f := parsed(t, lampForm)
	var b strings.Builder
	b.WriteString("keeper quay\n")
	for i := range 25_000 {
		fmt.Fprintf(&b, "socket p%d\n  tell \"x\"\n  lamp lit\n  load 1500\n", i)
	}
	start := time.Now()
	r := f.Read(b.String(), "")
	assert.Empty(t, r.Unread)
	assert.Len(t, r.Observed()[0].Interfaces, 25_000)
	assert.Less(t, time.Since(start), 20*time.Second)

	nasty := parsed(t, "# n, form 1\n{interface} [a {note}][b {note}][c {mtu}]{any}x{any}y\n")
	start = time.Now()
	for _, line := range []string{strings.Repeat("a ", 4000), strings.Repeat("xy", 4000), strings.Repeat("a b c 1 x", 900),
		strings.Repeat("p", 1<<20)} {
		nasty.Read(line, "q")
	}
	assert.Less(t, time.Since(start), 20*time.Second)
}
