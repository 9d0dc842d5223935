package command

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"net/netip"
	"os"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/term"

	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/internal/sheet"
	"ropeswing/internal/view"
)

// segmentColumns are what a sheet may say of segments, and under which headings.
var segmentColumns = []sheet.Field{
	{Name: "name", Words: []string{"name", "segment", "lan", "network", "networkname", "subnetname", "zone", "purpose", "use", "usage"}},
	{Name: "prefix", Fits: isPrefix, Words: []string{
		"prefix", "subnet", "cidr", "network", "networkaddress", "ipnetwork", "range", "address",
	}},
	{Name: "mask", Words: []string{"mask", "netmask", "subnetmask"}},
	{Name: "vlan", Words: []string{"vlan", "vlanid", "vid", "vlannumber", "vlanno", "tag"}},
	{Name: "hosts", Words: []string{"hosts", "size", "devices", "users", "hostcount", "numberofhosts", "addresses"}},
	{Name: "gateway", Words: []string{"gateway", "defaultgateway", "gw", "router", "routeraddress"}},
	{Name: "site", Words: []string{"site", "location", "building", "branch", "office"}, Fill: true},
	{Name: "note", Words: []string{"note", "notes", "comment", "comments", "description", "remark", "remarks"}},
}

func isPrefix(cell string) bool {
	_, _, err := prefix.Parse(plainAddress(cell))
	return err == nil
}

// mostTable is up to how many bytes a sheet is read.
const mostTable = 16 << 20

// sheetText reads a sheet from a file, or from standard input where that is '-'.
func (a *app) sheetText(path string) ([]byte, error) {
	in := a.in
	if path != "-" {
		file, err := a.opened(path)
		if err != nil {
			return nil, err
		}
		defer file.Close()
		in = file
	} else {
		path = "standard input"
	}
	text, err := io.ReadAll(io.LimitReader(in, mostTable+1))
	switch {
	case err != nil && !errors.Is(err, os.ErrClosed):
		return nil, fmt.Errorf("cannot read %s: %w", path, err)
	case len(text) > mostTable:
		return nil, fmt.Errorf("%s has more than %d MB", path, mostTable>>20)
	}
	return text, nil
}

// segmentsFrom reads segments from a sheet. What is made of it is told, and what is wrong is told all at once.
func (a *app) segmentsFrom(path string) ([]plan.StartSegment, error) {
	text, err := a.sheetText(path)
	if err != nil {
		return nil, err
	}
	s, err := sheet.Read(text, segmentColumns, a.columnAsker(path))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	r := &segmentReader{names: map[string]int{}}
	_, named := s.Headings["name"]
	_, vlans := s.Headings["vlan"]
	_, prefixes := s.Headings["prefix"]
	if !named && !vlans && !prefixes {
		return nil, fmt.Errorf("%s: no column is called name, nor vlan or prefix: a segment must be called something", path)
	}
	bySite := sameNames(s.Rows)
	for _, row := range s.Rows {
		r.segment(row, bySite)
	}
	return r.all, a.tellRows(path, s, &r.rowReader)
}

// sameNames tells whether two sites have a segment of the same name; then all are called by their site too.
func sameNames(rows []sheet.Row) bool {
	seen := map[string]string{}
	for _, r := range rows {
		name := sheet.SafeName(r.Fields["name"])
		if site, ok := seen[name]; ok && site != r.Fields["site"] && name != "" {
			return true
		}
		seen[name] = r.Fields["site"]
	}
	return false
}

// segmentReader makes segments of rows.
type segmentReader struct {
	rowReader
	all   []plan.StartSegment
	names map[string]int // the line of each
}

func (r *segmentReader) segment(row sheet.Row, bySite bool) {
	before := len(r.wrong)
	s := plan.StartSegment{Site: r.safe(row, "site"), Note: row.Fields["note"]}
	r.vlan(row, &s)
	r.size(row, &s)
	r.prefixes(row, &s)
	r.gateway(row, &s)
	switch {
	case row.Fields["name"] != "":
		s.Name = r.safe(row, "name")
	case s.VLAN != "" && s.VLAN != "auto":
		s.Name = "vlan" + s.VLAN
	case len(s.Prefixes) > 0:
		s.Name = "net-" + sheet.SafeName(strings.ReplaceAll(s.Prefixes[0].String(), ".", "-"))
	default:
		r.bad(row, "name", "a segment needs a name")
		return
	}
	if row.Fields["name"] == "" {
		r.tell(row, "it has no name, and is called %s", s.Name)
	}
	if bySite && s.Site != "" {
		s.Name = s.Site + "-" + s.Name
	}
	if line, again := r.names[s.Name]; again {
		r.bad(row, "name", "the segment %s stands on line %d already", s.Name, line)
	}
	r.names[s.Name] = row.Line
	if len(r.wrong) == before {
		r.all = append(r.all, s)
	}
}

func (r *segmentReader) vlan(row sheet.Row, s *plan.StartSegment) {
	word := strings.TrimSpace(strings.TrimPrefix(strings.ToLower(row.Fields["vlan"]), "vlan"))
	switch n, err := strconv.Atoi(word); {
	case word == "" || word == "-":
	case word == "auto":
		s.VLAN = word
	case err != nil || n < 1 || n > 4094:
		r.bad(row, "vlan", "a VLAN number is from 1 to 4094, or auto, not %s", row.Fields["vlan"])
	default:
		s.VLAN = strconv.Itoa(n)
	}
}

func (r *segmentReader) size(row sheet.Row, s *plan.StartSegment) {
	word := row.Fields["hosts"]
	if length, ok := strings.CutPrefix(word, "/"); ok {
		n, err := strconv.Atoi(length)
		if err != nil || n < 8 || n > 128 {
			r.bad(row, "hosts", "a length is from /8 to /128, not %s", word)
		}
		s.Length = n
		return
	}
	if word == "" || word == "-" {
		return
	}
	n, err := strconv.Atoi(word)
	if err != nil || n < 0 || n > 1<<31 {
		r.bad(row, "hosts", "hosts is a whole number, not %s", word)
	}
	s.Hosts = n
}

// plainAddress is an IPv4 address without the zeros that some write before its numbers: they are no octal digits in a sheet.
func plainAddress(word string) string {
	address, length, cut := strings.Cut(word, "/")
	parts := strings.Split(address, ".")
	if len(parts) != 4 {
		return word
	}
	for i, p := range parts {
		if n, err := strconv.Atoi(p); err == nil && len(p) > 1 && p[0] == '0' && len(p) <= 3 {
			parts[i] = strconv.Itoa(n)
		}
	}
	address = strings.Join(parts, ".")
	if cut {
		return address + "/" + length
	}
	return address
}

func (r *segmentReader) prefixes(row sheet.Row, s *plan.StartSegment) {
	words := strings.FieldsFunc(row.Fields["prefix"], func(c rune) bool { return c == ';' || c == ',' || c == ' ' })
	if len(words) == 2 && strings.HasPrefix(words[1], "255.") { // an address and its mask
		words = []string{words[0] + "/" + words[1]}
	}
	for _, word := range words {
		plain := plainAddress(word)
		if plain != word {
			r.tell(row, "%s is taken for %s", word, plain)
		}
		if mask := strings.TrimPrefix(row.Fields["mask"], "/"); mask != "" && !strings.Contains(plain, "/") {
			plain += "/" + mask
		}
		p, whole, err := prefix.Parse(plain)
		switch {
		case err != nil:
			r.bad(row, "prefix", "%s", err)
		case whole && !strings.Contains(plain, "/"):
			r.bad(row, "prefix", "%s has no length, and there is no mask beside it", word)
		case p != p.Masked():
			r.tell(row, "%s is an address in %s, which is taken for the subnet", word, p.Masked())
			s.Prefixes = append(s.Prefixes, p.Masked())
		default:
			s.Prefixes = append(s.Prefixes, p)
		}
	}
}

func (r *segmentReader) gateway(row sheet.Row, s *plan.StartSegment) {
	word, _, _ := strings.Cut(row.Fields["gateway"], "/")
	if word == "" || word == "-" {
		return
	}
	a, err := prefix.ParseAddress(plainAddress(word))
	switch {
	case err != nil:
		r.bad(row, "gateway", "%s", err)
	case len(s.Prefixes) > 0 && !slices.ContainsFunc(s.Prefixes, func(p netip.Prefix) bool { return p.Contains(a) }):
		r.bad(row, "gateway", "%s is not in %s", a, s.Prefixes[0])
	case len(s.Prefixes) == 0:
		r.tell(row, "the gateway %s is left out: no subnet is said", a)
	default:
		s.Gateway = a
	}
}

// spare is space for links and loopbacks that no segment has anything of.
func spare(all []plan.StartSegment) (netip.Prefix, bool) {
	for _, text := range []string{"10.255.252.0/22", "172.31.252.0/22", "192.168.252.0/22"} {
		p := netip.MustParsePrefix(text)
		if !slices.ContainsFunc(all, func(s plan.StartSegment) bool { return slices.ContainsFunc(s.Prefixes, p.Overlaps) }) {
			return p, true
		}
	}
	return netip.Prefix{}, false
}

// columnAsker asks on a terminal what a column of a table is that nothing tells; nil where nobody is there to answer.
func (a *app) columnAsker(path string) sheet.Asker {
	in, isFile := a.in.(*os.File)
	if path == "-" || !a.asks && (!isFile || !term.IsTerminal(int(in.Fd()))) {
		return nil
	}
	return func(heading, cell string, free []string) string {
		return a.whoAnswers().ask(view.Clean(fmt.Sprintf("%s: what is the column '%s', with %s in it? %s; or nothing", path, heading, cell,
			strings.Join(free, ", "))), "", func(answer string) error {
			if answer != "" && !slices.Contains(free, answer) {
				return fmt.Errorf("%s is none of them", answer)
			}
			return nil
		})
	}
}

// whoAnswers is who answers questions, of one reader: a second one would miss what the first has read ahead.
func (a *app) whoAnswers() *questions {
	if a.answers == nil {
		a.answers = &questions{in: bufio.NewReader(a.in), out: a.err}
	}
	return a.answers
}
