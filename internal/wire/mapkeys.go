package wire

import (
	"ropeswing/core/observed"
	"ropeswing/internal/keydoc"
)

// MapFormat is what a column map, or gear file, holds.
var MapFormat = keydoc.Page{
	Title: "Column maps and gear files",
	About: "A column map says how lists are read that gear prints, or a colleague keeps: `observe --map FILE`. With `ask` it is a gear " +
		"file too, that an [access file](access.md) names: it says which words to send. `observe --try FILE LIST` shows cell by cell what " +
		"is made of a list.",
	Example: `ropeswing-map: 1
name: harbour lamp bus
ask: [lamps all, paths all]
tables:
  - heading: [Socket, Light, Number, Way out]
    fields: {interface: Socket, oper: Light, address: Number}
    words: {oper: {lit: up, dark: down}}
    ends: blank
`,
	Maps: []keydoc.Map{
		{Name: "the file", Keys: []keydoc.Key{
			{Name: "ropeswing-map", Value: keydoc.Number, Means: "The version of this format: 1.", Must: true},
			{Name: "name", Value: keydoc.Word, Means: "What the gear is called, for readers."},
			{Name: "device", Value: keydoc.Word,
				Means: "A regular expression for the line that begins a device's block, where a text is of several; its group `name` is the " +
					"device: `^== (?P<name>\\S+)`."},
			{Name: "skip", Value: keydoc.Words, Means: "Regular expressions for lines that say nothing."},
			{Name: "ask", Value: keydoc.Words, Means: "The words to send to a device, one by one, so that it prints what the tables read."},
			{Name: "nothing", Value: keydoc.Words, Means: "Words that stand in a cell for there being nothing, beside the usual ones."},
			{Name: "form", Value: keydoc.Word,
				Means: "The file of the [form](forms.md) that reads what the gear prints, in place of tables; its place is said from the gear " +
					"file's."},
			{Name: "prompt", Value: keydoc.Word,
				Means: "A regular expression for what stands where the gear waits for a line: `[>#] $`. With it, `refused` and a form `push` " +
					"tells the gear line by line."},
			{Name: "enter", Value: keydoc.Words, Means: "The words after which the gear can be changed."},
			{Name: "leave", Value: keydoc.Words, Means: "The words that end that, and put in force what was typed."},
			{Name: "forget", Value: keydoc.Words, Means: "The words that forget what was typed, where it is not in force yet."},
			{Name: "refused", Value: keydoc.Word, Means: "A regular expression for a line by which the gear refuses: `^error`."},
			{Name: "save", Value: keydoc.Words, Means: "The words that save what runs."},
			{Name: "timer", Value: keydoc.Table,
				Means: "The words of a timer after which the gear takes back what was changed: `arm`, with `{seconds}` or `{minutes}` in it, " +
					"`confirm`, `cancel`. Left out where it has none: then a step that may cut somebody off is not sent."},
			{Name: "tables", Has: "table", Many: true, Means: "The tables that are read, each by its heading. Left out where a form is named."},
		}},
		{Name: "table", Keys: []keydoc.Key{
			{Name: "heading", Value: keydoc.Words, Means: "The headings as they stand in one line, in order.", Must: true},
			{Name: "split", Value: keydoc.Word,
				Means: "How a line is cut: `columns`, by where the headings stand; `spaces`, at two or more; or at a character. columns unless set."},
			{Name: "fields", Value: keydoc.Table, Means: "What is taken from which heading, FIELD: HEADING. The fields are " + fieldNames() + ".",
				Must: true},
			{Name: "continues", Value: keydoc.Word, OneOf: []string{"indented", "empty"},
				Means: "Which line goes on with the row above: one that begins with spaces, or one whose first cell is empty."},
			{Name: "repeats", Value: keydoc.Word, OneOf: Fields, Means: "The field whose empty cell stands for the one above."},
			{Name: "ends", Value: keydoc.Word,
				Means: "Where the table ends: `blank`, at an empty line; else a regular expression for the line that ends it."},
			{Name: "words", Value: keydoc.Tables, Means: "Words of the gear, and what they stand for, by field: `oper: {lit: up, dark: down}`."},
			{Name: "known", Value: keydoc.Words, OneOf: partNames(),
				Means: "What the table tells of wholly, where that is not plain from its fields."},
		}},
	},
}

func fieldNames() string {
	text := ""
	for i, f := range Fields {
		if i > 0 {
			text += ", "
		}
		text += "`" + f + "`"
	}
	return text
}

func partNames() []string {
	var all []string
	for _, p := range observed.Parts {
		all = append(all, string(p))
	}
	return all
}
