package picturestest

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ropeswing/demo"
)

// browser is Debian's browser without a screen, and what its console says.
type browser struct {
	context.Context
	mu      sync.Mutex
	console []string
}

func newBrowser(t *testing.T) *browser {
	t.Helper()
	path, err := exec.LookPath("chromium")
	if err != nil {
		if os.Getenv("ROPESWING_PEERS") == "must" {
			t.Fatal("there is no browser here, and there must be")
		}
		t.Skip("there is no browser here: Debian's package is chromium")
	}
	opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(path), chromedp.NoSandbox, chromedp.WindowSize(1280, 800))
	ctx, stop := chromedp.NewExecAllocator(context.Background(), opts...)
	t.Cleanup(stop)
	ctx, stop = chromedp.NewContext(ctx)
	t.Cleanup(stop)
	ctx, stop = context.WithTimeout(ctx, 90*time.Second)
	t.Cleanup(stop)
	b := &browser{Context: ctx}
	chromedp.ListenTarget(ctx, func(e any) {
		b.mu.Lock()
		defer b.mu.Unlock()
		switch e := e.(type) {
		case *runtime.EventExceptionThrown:
			b.console = append(b.console, e.ExceptionDetails.Error())
		case *runtime.EventConsoleAPICalled:
			b.console = append(b.console, fmt.Sprint(e.Type))
		case *log.EventEntryAdded:
			b.console = append(b.console, e.Entry.Text)
		}
	})
	require.NoError(t, chromedp.Run(b, log.Enable()))
	return b
}

func (b *browser) open(t *testing.T, file string) {
	t.Helper()
	require.NoError(t, chromedp.Run(b, chromedp.Navigate("file://"+file), chromedp.WaitReady("main")))
}

// ask is a value that an expression has in the page.
func ask[T any](t *testing.T, b *browser, expression string) T {
	t.Helper()
	var x T
	require.NoError(t, chromedp.Run(b, chromedp.Evaluate(expression, &x)), expression)
	return x
}

// quiet wants the console to have said nothing.
func (b *browser) quiet(t *testing.T) {
	t.Helper()
	b.mu.Lock()
	defer b.mu.Unlock()
	assert.Empty(t, b.console)
}

// wide tells by how much the page is wider than its window.
const wide = `document.documentElement.scrollWidth - document.documentElement.clientWidth`

func TestTheReportInABrowser(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	r := run(t, dir, "report")
	require.Equal(t, 0, r.Code, r.Err)
	page := filepath.Join(dir, "report.html")
	b := newBrowser(t)
	b.open(t, page)
	assert.Equal(t, "Skerry Lights", ask[string](t, b, `document.querySelector('h1').textContent`))
	assert.Equal(t, float64(0), ask[float64](t, b, wide), "nothing sticks out")

	// The first screen says how it is, what to do, and shows it.
	first := ask[string](t, b, `document.querySelector('.first').innerText`)
	for _, part := range []string{"nothing wrong", "Nothing has to be done.", "9 of 9", "requirements hold", "22", "What was promised"} {
		assert.Contains(t, first, part)
	}
	assert.Less(t, ask[float64](t, b, `document.querySelector('.first').getBoundingClientRect().bottom`), float64(800), "it fits the screen")

	// A cable is clicked: what cutting it takes, and the path of two names while it is cut, as ping says.
	require.NoError(t, chromedp.Run(b, chromedp.Evaluate(`document.querySelector('#wires rect[data-of="old-line"]')`+
		`.dispatchEvent(new MouseEvent('click',{bubbles:true}))`, nil)))
	assert.Contains(t, ask[string](t, b, `document.querySelector('#facts').textContent`), "Cut it, and")
	require.NoError(t, chromedp.Run(b, chromedp.KeyEvent(kb.Escape)))
	cuts := ask[[]string](t, b, `[...document.querySelector('#path').cut.options].map(o => o.value).filter(v => v)`)
	names := ask[[]string](t, b, `[...document.querySelectorAll('#ends option')].map(o => o.value)`)
	require.NotEmpty(t, cuts)
	random := rand.New(rand.NewPCG(39, 5))
	fails := 0
	for range 40 {
		from, to, cut := names[random.IntN(len(names))], names[random.IntN(len(names))], cuts[random.IntN(len(cuts))]
		if from == to {
			continue
		}
		says := ask[string](t, b, fmt.Sprintf(`(() => { const f = document.querySelector('#path'); f.from.value = %q; f.to.value = %q; `+
			`f.family.value = '4'; f.cut.value = %q; f.requestSubmit(); return document.querySelector('#answer p').textContent; })()`, from, to, cut))
		r := run(t, dir, "ping", from, to, "-4", "--without", cut)
		want := from + " reaches " + to
		if r.Code != 0 {
			want = from + " does not reach " + to
			fails++
		}
		assert.Contains(t, says, want+" in IPv4 while "+cut+" is cut", r.Out)
	}
	assert.Positive(t, fails, "some are cut off by it")
	require.NoError(t, chromedp.Run(b, chromedp.Evaluate(`document.querySelector('#path button[type=reset]').click()`, nil)))

	// A device is clicked: its facts, and it is marked in all pictures.
	require.NoError(t, chromedp.Run(b,
		chromedp.Evaluate(`document.querySelector('#wires rect[data-of="tern-rock tern-cam tern-lamp"]').dispatchEvent(new MouseEvent('click',{bubbles:true}))`, nil)))
	assert.Equal(t, "tern-rock", ask[string](t, b, `document.querySelector('#facts h2').textContent`))
	assert.True(t, ask[bool](t, b, `document.querySelector('#facts').textContent.includes('10.48.3.16')`))
	assert.Equal(t, float64(3), ask[float64](t,
		b, `['subnets','wires','failing'].filter(f => document.querySelector('#'+f+' rect.on')).length`),
		"it is marked in the pictures that have it")
	// The keyboard alone: Escape closes it, Enter on a shape opens it.
	require.NoError(t, chromedp.Run(b, chromedp.KeyEvent(kb.Escape)))
	assert.True(t, ask[bool](t, b, `document.querySelector('#facts').hidden`))
	require.NoError(t, chromedp.Run(b, chromedp.Evaluate(`document.querySelector('#subnets rect[data-of^="beam-mole"]').focus()`, nil),
		chromedp.KeyEvent(kb.Enter)))
	assert.Equal(t, "beam-mole", ask[string](t, b, `document.querySelector('#facts h2').textContent`))
	require.NoError(t, chromedp.Run(b, chromedp.KeyEvent(kb.Escape)))

	// Two names: the predicted path, as ping tells it.
	require.NoError(t, chromedp.Run(b, chromedp.SendKeys(`#path input[name=from]`, "desk-7"),
		chromedp.SendKeys(`#path input[name=to]`, "tern-cam"+kb.Enter)))
	assert.Contains(t, ask[string](t, b, `document.querySelector('#answer').textContent`), "desk-7 reaches tern-cam in IPv4")
	hops := ask[[]string](t, b, `[...document.querySelectorAll('#answer ol')][0].innerText.split('\n').map(x => x.split(':')[0])`)
	assert.Equal(t, []string{"desk-7", "quay-core", "quay-edge", "mole-rtr", "tern-rock", "tern-cam"}, hops)
	assert.Equal(t, float64(6), ask[float64](t, b, `document.querySelectorAll('#subnets polyline.there').length`),
		"three subnets between four routers, with a line to each side")
	assert.Equal(t, float64(6), ask[float64](t, b, `document.querySelectorAll('#subnets polyline.back').length`))
	require.NoError(t, chromedp.Run(b, chromedp.Evaluate(`document.querySelector('#path button[type=reset]').click()`, nil)))
	assert.Zero(t, ask[float64](t, b, `document.querySelectorAll('.there,.back,.copy,.faded').length`))
	require.NoError(t, chromedp.Run(b,
		chromedp.Evaluate(`(() => { const f = document.querySelector('#path'); f.from.value = 'desk-77'; f.to.value = 'tern-cam'; f.requestSubmit(); })()`, nil)))
	assert.Contains(t, ask[string](t, b, `document.querySelector('#answer').textContent`), "there is no device desk-77")
	assert.Zero(t, ask[float64](t, b, `document.querySelectorAll('.there,.back').length`))

	// Tables sort, and search leaves the rows that have the text.
	sorted := `(() => { const s = document.querySelector('#addresses'); s.querySelector('th button').click(); return [...s.querySelectorAll('tbody tr')].map(r => r.cells[0].textContent); })()`
	up, down := ask[[]string](t, b, sorted), ask[[]string](t, b, sorted)
	assert.Len(t, down, len(up))
	assert.Equal(t, up[0], down[len(down)-1])
	assert.Less(t, indexOf(up, "10.48.1.10/26"), indexOf(up, "10.48.1.97/28"), "as numbers, not as letters")
	require.NoError(t, chromedp.Run(b, chromedp.Evaluate(`document.querySelector('#search input').focus()`, nil),
		chromedp.KeyEvent("10.48.3.16"), chromedp.Sleep(300*time.Millisecond)))
	assert.True(t, ask[bool](t, b, `[...document.querySelectorAll('main tbody tr')].filter(r => !r.hidden).every(r => r.textContent.includes('10.48.3.16'))`))
	assert.Contains(t, ask[string](t, b, `document.querySelector('#search output').textContent`), "rows in")

	// On a phone, and in the dark.
	require.NoError(t, chromedp.Run(b,
		chromedp.Evaluate(`(() => { const i = document.querySelector('#search input'); i.value = ''; i.form.requestSubmit(); })()`, nil),
		chromedp.EmulateViewport(390, 800), emulation.SetEmulatedMedia().WithFeatures([]*emulation.MediaFeature{{Name: "prefers-color-scheme",
			Value: "dark"}})))
	assert.LessOrEqual(t, ask[float64](t, b, wide), float64(0), "nothing sticks out on a phone")
	assert.Equal(t, "rgb(18, 24, 28)", ask[string](t, b, `getComputedStyle(document.body).backgroundColor`))
	b.quiet(t)
}

func indexOf(all []string, x string) int {
	for i, s := range all {
		if s == x {
			return i
		}
	}
	return -1
}

// What is wrong comes first; what was observed otherwise and the steps are there where that is asked for.
func TestTheReportOfABadMorning(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	require.Equal(t, 0, run(t, dir, "observe", demo.Seen, "-w", "observed").Code)
	for _, c := range []struct {
		dir   string
		args  []string
		says  string
		parts []string
	}{
		{filepath.Join(dir, "bad-morning"), nil, "7 errors", []string{"mole-manage is in pieces"}},
		{dir, []string{"--observed", "observed"}, "nothing wrong", []string{`id="found"`, `id="steps"`, "to take back", "far-skerry"}},
	} {
		r := run(t, c.dir, append([]string{"report", "-w", "page.html"}, c.args...)...)
		require.Equal(t, 0, r.Code, r.Err)
		assert.Contains(t, r.Out, c.says)
		text, err := os.ReadFile(filepath.Join(c.dir, "page.html"))
		require.NoError(t, err)
		for _, part := range c.parts {
			assert.Contains(t, string(text), part)
		}
	}
	r := run(t, dir, "report", "-w", "bad.txt")
	assert.Equal(t, 2, r.Code)
	assert.Contains(t, r.Err, ".html")
}

// A page for others has what is theirs, and names nothing of anybody else: neither in a table, nor in a picture, nor in its data.
func TestAPageForOthersNamesNobodyElse(t *testing.T) {
	t.Parallel()
	dir := lights(t)
	var devices []struct{ Device string }
	require.NoError(t, json.Unmarshal([]byte(run(t, dir, "show", "devices", "-o", "json").Out), &devices))
	var addresses []struct{ Device, Segment, Address string }
	require.NoError(t, json.Unmarshal([]byte(run(t, dir, "show", "addresses", "-o", "json").Out), &addresses))
	for _, x := range []struct {
		args []string
		own  []string
	}{
		{[]string{"--site", "mole"}, []string{"mole-rtr", "mole-spare", "mole-sw", "pilot-desk"}},
		{[]string{"--for", "cameras"}, []string{"tern-cam", "gull-cam", "far-cam"}},
		{[]string{"--for", "desk-7"}, []string{"desk-7"}},
	} {
		r := run(t, dir, append([]string{"report", "-w", "page.html"}, x.args...)...)
		require.Equal(t, 0, r.Code, r.Err)
		text, err := os.ReadFile(filepath.Join(dir, "page.html"))
		require.NoError(t, err)
		page := string(text)
		page = page[:strings.Index(page, "<style>")] + page[strings.Index(page, "</style>"):strings.LastIndex(page, "<script>")]
		for _, name := range x.own {
			assert.Contains(t, page, name, x.args)
		}
		shared := map[string]bool{} // segments they are on
		for _, a := range addresses {
			if slices.Contains(x.own, a.Device) {
				shared[a.Segment] = true
			}
		}
		for _, d := range devices {
			if !slices.Contains(x.own, d.Device) {
				assert.NotContains(t, page, d.Device, x.args)
			}
		}
		looked := 0
		for _, a := range addresses {
			if bare, _, _ := strings.Cut(a.Address, "/"); !slices.Contains(x.own, a.Device) && !shared[a.Segment] {
				looked++
				assert.NotRegexp(t, `(^|[^0-9a-f:.])`+regexp.QuoteMeta(bare)+`($|[^0-9a-f:.])`, page, "%v: %s", x.args, a.Device)
			}
		}
		assert.Positive(t, looked)
	}
	r := run(t, filepath.Join(dir, "bad-morning"), "report", "-w", "page.html", "--site", "mole")
	require.Equal(t, 0, r.Code, r.Err)
	bad, err := os.ReadFile(filepath.Join(dir, "bad-morning", "page.html"))
	require.NoError(t, err)
	for _, name := range []string{"quay-edge", "tern-rock", "ops-laptop"} {
		assert.NotContains(t, string(bad), name, "nor in what is to be done first")
	}
	for _, args := range [][]string{{"--site", "moel"}, {"--for", "nobody"}, {"--site", "mole", "--for", "cameras"}} {
		r := run(t, dir, append([]string{"report", "-w", "none.html"}, args...)...)
		assert.Equal(t, 2, r.Code, args)
		assert.NoFileExists(t, filepath.Join(dir, "none.html"))
	}
}

// Text of the plan is never markup, and the page asks nothing of any network.
func TestHostileNamesInTheReport(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	evil := `</script><script>window.evil=1</script><img src=x onerror=window.evil=1>`
	write(t, dir, demo.Plan, `ropeswing: 1
plan: '`+evil+`'
segments:
  lan: {prefix: 10.1.0.0/24, note: '`+evil+`'}
devices:
  a: {is: router, note: '`+evil+`', interfaces: {x: {segment: lan, address: 1}}}
  b: {is: router, interfaces: {x: {segment: lan, address: 2}}}
`)
	r := run(t, dir, "report", "-w", "r.html")
	require.Equal(t, 0, r.Code, r.Err)
	text, err := os.ReadFile(filepath.Join(dir, "r.html"))
	require.NoError(t, err)
	assert.NotContains(t, string(text), "<img src=x")
	assert.Equal(t, 2, strings.Count(string(text), "</script>"))
	for _, outside := range []string{"src=\"http", "url(http", "href=\"http"} {
		assert.NotContains(t, string(text), outside)
	}
	b := newBrowser(t)
	b.open(t, filepath.Join(dir, "r.html"))
	assert.Equal(t, "undefined", ask[string](t, b, `typeof window.evil`))
	assert.Equal(t, evil, ask[string](t, b, `document.querySelector('h1').textContent`))
	b.quiet(t)
}
