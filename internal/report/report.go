// Package report makes one page of a network that works from disk, without a network and without
// the program: what is well and what is not, pictures, tables, and predicted paths to ask for.
package report

import (
	"bytes"
	"crypto/sha256"
	_ "embed"
	"encoding/base64"
	"encoding/json"
	"html"
	"html/template"
	"io"
	"strings"
	"sync"

	"ropeswing/internal/draw"
	"ropeswing/internal/view"
)

// Content is what a report tells.
type Content struct {
	Name     string // of the network
	Basis    string // what the answers stand on
	Made     string // when and by what
	Headline string // health in one line
	Well     bool   // nothing is wrong
	Summary  string
	Next     string   // what to do first; "" where nothing has to be done
	Numbers  []Number // what the network amounts to, at a glance
	Look     *Figure  // the network with what is wrong marked; nil where it is too large for a picture
	Sections []Section
	Paths    Paths
	Own      *Own // whose page it is; nil is everybody's
}

// Number is one figure of the first screen.
type Number struct {
	Value, What string
	Ill         bool
}

// Section is a part of the report: a note, pictures and a table, each where there is one.
type Section struct {
	ID, Title string
	Note      string
	Figures   []Figure
	Table     view.Table
	Sheets    []SiteSheet
}

// SiteSheet is what is known of one site, to print and to hang into its cabinet.
type SiteSheet struct {
	ID, Title string
	Notes     []string
	Figure    *Figure
	Tables    []Titled
}

// Titled is a table with its title.
type Titled struct {
	Title string
	Table view.Table
}

// Figure is a picture with its name, which is also the place that a path is drawn in.
type Figure struct {
	ID    string
	Sheet *draw.Sheet
}

var (
	//go:embed page.html
	page string
	//go:embed style.css
	style string
	//go:embed script.js
	script string
)

var parsed = sync.OnceValue(func() *template.Template { return template.Must(template.New("page").Parse(page)) })

// Write writes the page. Text of the plan is never markup, and nothing but the page's own script
// runs: its policy says so too.
func Write(w io.Writer, c *Content) error {
	names := map[string]bool{}
	for _, n := range c.Paths.Known {
		names[n] = true
	}
	own := c.Own.Text
	figure := func(f *Figure) template.HTML {
		if c.Own != nil {
			f.Sheet.Reword(own)
		}
		return figure(*f)
	}
	data, err := json.Marshal(c.Paths)
	if err != nil {
		return err
	}
	type titled struct {
		Title string
		Table template.HTML
	}
	type sheet struct {
		ID, Title string
		Notes     []string
		Figure    template.HTML
		Tables    []titled
	}
	type section struct {
		ID, Title, Note string
		Figures         []template.HTML
		Table           template.HTML
		Sheets          []sheet
	}
	var sections []section
	for _, s := range c.Sections {
		x := section{ID: s.ID, Title: s.Title, Note: own(s.Note)}
		for i := range s.Figures {
			x.Figures = append(x.Figures, figure(&s.Figures[i]))
		}
		if len(s.Table.Columns) > 0 {
			x.Table = table(s.Table, names, own)
		}
		for _, site := range s.Sheets {
			y := sheet{ID: site.ID, Title: own(site.Title)}
			for _, n := range site.Notes {
				y.Notes = append(y.Notes, own(n))
			}
			if site.Figure != nil {
				y.Figure = figure(site.Figure)
			}
			for _, t := range site.Tables {
				y.Tables = append(y.Tables, titled{t.Title, table(t.Table, names, own)})
			}
			x.Sheets = append(x.Sheets, y)
		}
		sections = append(sections, x)
	}
	var look template.HTML
	if c.Look != nil {
		look = figure(c.Look)
	}
	sum := sha256.Sum256([]byte(script))
	return parsed().Execute(w, map[string]any{
		"Content": c, "Sections": sections, "Look": look, "Style": template.CSS(draw.Style("svg ") +
			style), "Script": template.JS(script), "Data": template.JS(data),
		"Policy": "default-src 'none'; img-src data:; style-src 'unsafe-inline'; script-src 'sha256-" +
			base64.StdEncoding.EncodeToString(sum[:]) + "'",
	})
}

func figure(f Figure) template.HTML {
	text := html.EscapeString(f.Sheet.Title)
	return template.HTML(`<figure id="` + f.ID + `" tabindex="0" aria-label="` + text + `">` + string(f.Sheet.Inline(f.ID)) +
		`<button class="size" type="button">full size</button></figure>`)
}

// table is a table with a heading to sort by for every column that says something.
func table(t view.Table, names map[string]bool, own func(string) string) template.HTML {
	var b bytes.Buffer
	if len(t.Rows) == 0 {
		return template.HTML("<p>" + html.EscapeString(own(t.Empty)) + "</p>")
	}
	var shown []int
	for c := range t.Columns {
		for _, row := range t.Rows {
			if row[c] != "" {
				shown = append(shown, c)
				break
			}
		}
	}
	b.WriteString("<div class=\"table\"><table><thead><tr>")
	for _, c := range shown {
		b.WriteString("<th scope=\"col\"><button type=\"button\">" + html.EscapeString(t.Columns[c].Title) + "</button></th>")
	}
	b.WriteString("</tr></thead><tbody>\n")
	for _, row := range t.Rows {
		b.WriteString("<tr>")
		for _, c := range shown {
			if t.Columns[c].Right {
				b.WriteString("<td class=\"n\">")
			} else {
				b.WriteString("<td>")
			}
			cell := own(strings.TrimSpace(view.Clean(row[c])))
			text := html.EscapeString(cell)
			if names[cell] {
				text = "<a href=\"#of=" + text + "\">" + text + "</a>"
			}
			b.WriteString(text + "</td>")
		}
		b.WriteString("</tr>\n")
	}
	b.WriteString("</tbody></table></div>")
	return template.HTML(b.String())
}
