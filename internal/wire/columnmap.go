package wire

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"

	"go.yaml.in/yaml/v4"

	"ropeswing/core/observed"
)

// ColumnMap says how to read a text table of some equipment: a user writes it once.
type ColumnMap struct {
	Version int      `yaml:"ropeswing-map"`
	Name    string   `yaml:"name"`
	Device  string   `yaml:"device"`  // a regular expression for the line that begins a device's block; its group 'name' is the device
	Skip    []string `yaml:"skip"`    // regular expressions for lines that say nothing
	Ask     []string `yaml:"ask"`     // the words to send to a device, one by one, to get what the tables read
	Nothing []string `yaml:"nothing"` // words that stand in a cell for there being nothing, beside the usual ones
	Form    string   `yaml:"form"`    // the file of the form that reads what the gear prints, in place of tables

	Prompt  string            `yaml:"prompt"`  // a regular expression for what stands where the gear waits for a line
	Enter   []string          `yaml:"enter"`   // the words after which the gear is changed
	Leave   []string          `yaml:"leave"`   // the words that put in force what was typed
	Forget  []string          `yaml:"forget"`  // the words that forget it
	Refused string            `yaml:"refused"` // a regular expression for a line by which the gear refuses
	Save    []string          `yaml:"save"`    // the words that save what runs
	Timer   map[string]string `yaml:"timer"`   // arm, confirm and cancel: the words of the gear's own timer

	Tables []TableMap `yaml:"tables"`

	device *regexp.Regexp
	skip   []*regexp.Regexp

	prompt, refused *regexp.Regexp
}

// TableMap says how to read one kind of table.
type TableMap struct {
	Heading []string          `yaml:"heading"` // the headings as they stand in one line, in order
	Split   string            `yaml:"split"`   // columns (by where the headings stand), spaces (two or more), or a character
	Fields  map[string]string `yaml:"fields"`  // field: heading
	// indented: a line that begins with spaces goes on with the row above; empty: one whose first cell is empty
	Continues string                       `yaml:"continues"`
	Repeats   string                       `yaml:"repeats"` // the field whose empty cell stands for the one above
	Ends      string                       `yaml:"ends"`    // blank: at an empty line; else a regular expression for the line that ends it
	Words     map[string]map[string]string `yaml:"words"`   // field: word in the table: word of ours
	Known     []string                     `yaml:"known"`   // what the table tells of wholly, where that is not plain

	ends *regexp.Regexp
}

// MapVersion is the version of the format of column maps.
const MapVersion = 1

// ReadMap reads a column map.
func ReadMap(text []byte) (*ColumnMap, error) {
	m := &ColumnMap{}
	var n yaml.Node
	if err := yaml.Unmarshal(text, &n); err != nil {
		return nil, fmt.Errorf("it is no column map: %s", strings.TrimPrefix(err.Error(), "yaml: "))
	}
	if len(n.Content) != 1 {
		return nil, errors.New("it is no column map: it is empty")
	}
	if err := checkKeys(n.Content[0], mapKeys, "a column map"); err != nil {
		return nil, err
	}
	if err := n.Content[0].Decode(m); err != nil {
		return nil, fmt.Errorf("it is no column map: %s", strings.TrimPrefix(err.Error(), "yaml: "))
	}
	if m.Version != MapVersion {
		return nil, fmt.Errorf("a column map begins with 'ropeswing-map: %d'", MapVersion)
	}
	switch {
	case m.Form != "" && len(m.Tables) > 0:
		return nil, errors.New("it names a form and has tables; one of them reads what the gear prints")
	case m.Form == "" && len(m.Tables) == 0:
		return nil, errors.New("it has no tables, and names no form")
	}
	if err := m.check(); err != nil {
		return nil, err.in(n.Content[0])
	}
	return m, nil
}

// check finds what is wrong in a map, and where.
func (m *ColumnMap) check() *misplaced {
	var err error
	if m.Device != "" {
		if m.device, err = regexp.Compile(m.Device); err != nil {
			return amiss(fmt.Errorf("device: %w", err), "device")
		}
		if m.device.SubexpIndex("name") < 0 {
			return amiss(errors.New("device: the expression has no group (?P<name>…) that is the device's name"), "device")
		}
	}
	for _, x := range []struct {
		key, text string
		into      **regexp.Regexp
	}{{"prompt", m.Prompt, &m.prompt}, {"refused", m.Refused, &m.refused}} {
		if x.text == "" {
			continue
		}
		if *x.into, err = regexp.Compile("(?m)" + x.text); err != nil {
			return amiss(fmt.Errorf("%s: %w", x.key, err), x.key)
		}
	}
	for _, key := range slices.Sorted(maps.Keys(m.Timer)) {
		if words := []string{"arm", "confirm", "cancel"}; !slices.Contains(words, key) {
			return amiss(unknown("word of a timer", key, words), "timer", key)
		}
	}
	if arm, confirm := m.Timer["arm"], m.Timer["confirm"]; m.Timer != nil &&
		(confirm == "" || !strings.Contains(arm, "{seconds}") && !strings.Contains(arm, "{minutes}")) {
		return amiss(errors.New("a timer has the words arm, with {seconds} or {minutes} in it, and confirm"), "timer")
	}
	if (m.Prompt != "" || m.Enter != nil || m.Leave != nil) && (m.Prompt == "" || m.Refused == "" || m.Form == "") {
		return amiss(errors.New("gear that is told has a form, a prompt, and refused"), "prompt")
	}
	for _, s := range m.Skip {
		x, err := regexp.Compile(s)
		if err != nil {
			return amiss(fmt.Errorf("skip: %w", err), "skip", s)
		}
		m.skip = append(m.skip, x)
	}
	for i := range m.Tables {
		if err := m.Tables[i].check(); err != nil {
			err.path = append([]string{"tables", strconv.Itoa(i)}, err.path...)
			return err
		}
	}
	return nil
}

func (t *TableMap) check() *misplaced {
	if len(t.Heading) == 0 {
		return amiss(errors.New("the table has no heading"))
	}
	for _, field := range slices.Sorted(maps.Keys(t.Fields)) {
		if !slices.Contains(Fields, field) {
			return amiss(unknown("field", field, Fields), "fields", field)
		}
		if heading := t.Fields[field]; !slices.Contains(t.Heading, heading) {
			return amiss(fmt.Errorf("%s is taken from %s, which is no heading%s", field, heading, near(heading, t.Heading)), "fields", field)
		}
	}
	if _, ok := t.Fields["interface"]; !ok && t.Fields["destination"] == "" && t.Fields["neighbour"] == "" {
		return amiss(errors.New("it says neither which heading is the interface, nor the destination, nor the neighbour"), "fields")
	}
	if err := t.checkNames(); err != nil {
		return err
	}
	switch t.Continues {
	case "", "indented", "empty":
	default:
		return amiss(fmt.Errorf("continues is indented or empty, not %s%s", t.Continues, near(t.Continues, []string{"indented", "empty"})),
			"continues")
	}
	if _, ok := t.Fields[t.Repeats]; t.Repeats != "" && !ok {
		return amiss(fmt.Errorf("repeats is one of the fields, and %s is none%s", t.Repeats,
			near(t.Repeats, slices.Sorted(maps.Keys(t.Fields)))), "repeats")
	}
	if t.Ends != "" && t.Ends != "blank" {
		x, err := regexp.Compile(t.Ends)
		if err != nil {
			return amiss(fmt.Errorf("ends: %w", err), "ends")
		}
		t.ends = x
	}
	return nil
}

// mapping is a text being read by a map.
type mapping struct {
	*Reading
	m      *ColumnMap
	device string
	table  *TableMap
	starts []int // where the columns begin
	row    []string
	line   int    // of the row
	last   string // what was in the cell that repeats

	nobodys []observed.Part // that rows tell of which do not say which device they are of
}

// ReadMapped reads a text by a column map.
func ReadMapped(text []byte, m *ColumnMap, device string) (*Reading, error) {
	if len(text) > LargestObserved {
		return nil, fmt.Errorf("it has %d MB; %d are the most", len(text)>>20, LargestObserved>>20)
	}
	if bytes.IndexByte(text, 0) >= 0 {
		return nil, errors.New("it is a binary file")
	}
	x := &mapping{Reading: &Reading{Format: "map"}, m: m, device: device}
	n := 0
	for raw := range bytes.Lines(text) {
		n++
		if err := x.take(n, strings.TrimRight(strings.ToValidUTF8(string(raw), "?"), "\r\n\t ")); err != nil {
			return nil, fmt.Errorf("line %d: %w", n, err)
		}
	}
	if err := x.finish(); err != nil {
		return nil, err
	}
	if len(x.Devices) == 0 {
		return nil, errors.New("nothing in it is a table of the map's: none of its headings stands there")
	}
	for _, d := range x.Devices {
		d.Doubt(x.nobodys...)
	}
	return x.Reading, x.check()
}

// take takes in one line.
func (x *mapping) take(n int, line string) error {
	if x.m.device != nil {
		if g := x.m.device.FindStringSubmatch(line); g != nil {
			if err := x.finish(); err != nil {
				return err
			}
			x.table, x.device = nil, g[x.m.device.SubexpIndex("name")]
			return nil
		}
	}
	for i := range x.m.Tables {
		if starts, ok := x.m.Tables[i].headingAt(line); ok {
			err := x.finish()
			x.table, x.starts = &x.m.Tables[i], starts
			return err
		}
	}
	skip := slices.ContainsFunc(x.m.skip, func(s *regexp.Regexp) bool { return s.MatchString(line) })
	switch {
	case x.table == nil:
		if line != "" && !skip {
			x.unread(n, line, "it belongs to no table")
		}
		return nil
	case line == "" && x.table.Ends == "blank", x.table.ends != nil && x.table.ends.MatchString(line):
		err := x.finish()
		x.table = nil
		return err
	case line == "" || skip:
		return nil
	}
	cells := x.table.cells(line, x.starts)
	goesOn := x.table.Continues == "indented" && line[0] == ' ' || x.table.Continues == "empty" && cells[0] == ""
	if goesOn && x.row != nil {
		for i, c := range cells {
			if c != "" {
				x.row[i] = strings.TrimSpace(x.row[i] + " " + c)
			}
		}
		return nil
	}
	err := x.finish()
	x.row, x.line = cells, n
	return err
}

// headingAt tells whether a line is the heading, and where its columns begin.
func (t *TableMap) headingAt(line string) ([]int, bool) {
	at, starts := 0, []int{}
	for _, h := range t.Heading {
		i := strings.Index(line[at:], h)
		if i < 0 || strings.TrimSpace(line[at:at+i]) != "" && t.Split != "" && t.Split != "columns" && t.Split != "spaces" &&
			strings.Trim(line[at:at+i], " "+t.Split) != "" {
			return nil, false
		}
		if (t.Split == "" || t.Split == "columns" || t.Split == "spaces") && strings.TrimSpace(line[at:at+i]) != "" {
			return nil, false
		}
		starts = append(starts, at+i)
		at += i + len(h)
	}
	for i, start := range starts {
		starts[i] = utf8.RuneCountInString(line[:start]) // columns are of characters
	}
	return starts, strings.Trim(line[at:], " "+t.Split) == ""
}

// spaces is what parts columns that are parted by spaces.
var spaces = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(` {2,}|\t+`) })

// cells parts a line into as many cells as there are headings.
func (t *TableMap) cells(line string, starts []int) []string {
	cells := make([]string, len(t.Heading))
	switch t.Split {
	case "", "columns":
		characters := []rune(line)
		for i, start := range starts {
			end := len(characters)
			if i+1 < len(starts) {
				end = min(end, starts[i+1])
			}
			if start < end {
				cells[i] = strings.TrimSpace(string(characters[start:end]))
			}
		}
	case "spaces":
		for i, c := range spaces().Split(strings.TrimSpace(line), -1) {
			if i < len(cells) {
				cells[i] = c
			} else {
				cells[len(cells)-1] += " " + c
			}
		}
	default:
		for i, c := range strings.Split(strings.Trim(line, " "+t.Split), t.Split) {
			if i < len(cells) {
				cells[i] = strings.TrimSpace(c)
			}
		}
	}
	return cells
}

// isSentence tells whether a line says something in words where a row would be, as one that stops for a key does: of its cells only
// the first has anything, of several words.
func isSentence(cells []string) bool {
	return len(cells) > 1 && len(strings.Fields(cells[0])) > 2 && !slices.ContainsFunc(cells[1:], func(c string) bool { return c != "" })
}

// finish takes in the row that is whole.
func (x *mapping) finish() error {
	if x.row == nil {
		return nil
	}
	read, row, columns := map[string]string{}, map[string]string{}, []string{}
	for _, field := range Fields {
		if h, ok := x.table.Fields[field]; ok {
			read[field] = x.row[slices.Index(x.table.Heading, h)]
			columns = append(columns, field)
		}
	}
	cells := x.row
	x.row = nil
	if r := x.table.Repeats; r != "" {
		if read[r] == "" {
			read[r] = x.last
		}
		x.last = read[r]
	}
	for _, field := range columns {
		row[field] = word(field, read[field], x.table.Words[field], x.m.Nothing)
	}
	name := row["device"]
	if _, named := x.table.Fields["device"]; named && name == "" {
		x.nobodys = append(x.nobodys, partsOf(columns)...)
		x.unread(x.line, strings.Join(cells, "  "), "it does not say which device it is of")
		return nil
	}
	name = cmp.Or(name, x.device)
	d, err := x.of(name)
	if err != nil {
		return err
	}
	if isSentence(cells) {
		err = errors.New("it is a sentence, and no row")
	} else {
		err = takeRow(d, row, columns)
	}
	for _, field := range columns {
		c := Cell{Line: x.line, Device: name, Row: row["interface"] + row["destination"], Field: field, Text: read[field], MadeInto: row[field]}
		if c.MadeInto == "" && c.Text != "" {
			c.MadeInto = "nothing"
		}
		if err != nil {
			c.MadeInto = "not taken: " + err.Error()
		}
		if len(x.Cells) < mostUnread {
			x.Cells = append(x.Cells, c)
		}
	}
	if err != nil {
		d.Doubt(partsOf(columns)...)
		x.unread(x.line, strings.Join(cells, "  "), "%s", err)
	}
	for _, k := range x.table.Known {
		if p := observed.Part(k); slices.Contains(observed.Parts, p) {
			d.Learn(p)
		}
	}
	return nil
}
