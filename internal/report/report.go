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
	Sections []Section
	Paths    Paths
}

// Section is a part of the report: a note, pictures and a table, each where there is one.
type Section struct {
	ID, Title string
	Note      string
	Figures   []Figure
	Table     view.Table
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
	data, err := json.Marshal(c.Paths)
	if err != nil {
		return err
	}
	type section struct {
		ID, Title, Note string
		Figures         []template.HTML
		Table           template.HTML
	}
	var sections []section
	for _, s := range c.Sections {
		x := section{ID: s.ID, Title: s.Title, Note: s.Note}
		for _, f := range s.Figures {
			x.Figures = append(x.Figures, figure(f))
		}
		if len(s.Table.Columns) > 0 {
			x.Table = table(s.Table, names)
		}
		sections = append(sections, x)
	}
	sum := sha256.Sum256([]byte(script))
	return parsed().Execute(w, map[string]any{
		"Content": c, "Sections": sections, "Style": template.CSS(draw.Style("svg ") +
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
func table(t view.Table, names map[string]bool) template.HTML {
	var b bytes.Buffer
	if len(t.Rows) == 0 {
		return template.HTML("<p>" + html.EscapeString(t.Empty) + "</p>")
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
			cell := strings.TrimSpace(view.Clean(row[c]))
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
