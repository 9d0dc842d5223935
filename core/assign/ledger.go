// Package assign assigns the numbers a plan leaves open: VLAN numbers,
// subnets, loopbacks and addresses. What was given is remembered in a ledger,
// and stays given.
package assign

import (
	"bytes"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"ropeswing/core/finding"
	"ropeswing/core/prefix"
	"ropeswing/core/source"
)

// Kind is what a number is for.
type Kind uint8

const (
	Subnet   Kind = iota // of a segment
	VLAN                 // of a segment
	Loopback             // of a device
	Address              // of an interface, written DEVICE:INTERFACE
	Block                // of address space, taken from another
)

var kinds = []string{Subnet: "subnet", VLAN: "vlan", Loopback: "loopback", Address: "address", Block: "block"}

func (k Kind) String() string { return kinds[k] }

// Entry is one number and whose it is.
type Entry struct {
	Owner   string // a segment, a device, a block, or DEVICE:INTERFACE
	Kind    Kind
	Prefix  netip.Prefix // of a subnet or block; of a loopback or address: with its full length
	VLAN    int
	Retired bool   // its owner is gone or has another number; not to be given to anyone else yet
	Since   string // the day it was retired, YYYY-MM-DD; "" where that is not known
	Place   source.Place
}

// Number is the number as the ledger writes it.
func (e Entry) Number() string {
	switch e.Kind {
	case VLAN:
		return strconv.Itoa(e.VLAN)
	case Subnet, Block:
		return e.Prefix.String()
	}
	return e.Prefix.Addr().String()
}

// line is the entry as a line of the ledger.
func (e Entry) line() string {
	text := e.Owner + " " + kinds[e.Kind] + " " + e.Number()
	if e.Retired {
		text = strings.TrimSuffix(text+" retired "+e.Since, " ")
	}
	return text
}

// family is that of the number; IPv4 of a VLAN number.
func (e Entry) family() prefix.Family {
	return prefix.FamilyIf(!e.Prefix.IsValid() || e.Prefix.Addr().Is4())
}

// Rename is a change of name under way: entries of Old are New's once the plan
// has New and no Old. It is in a ledger only from the moment a rename begins to
// write until it is done, so that one cut short loses nothing.
type Rename struct{ Old, New string }

// Ledger is the numbers assigned so far.
type Ledger struct {
	File    *source.File
	Entries []Entry
	Rename  *Rename
	Serials []Serial // of DNS zones that were written
	Dropped []Entry  // what a merge took out of it, since it contradicted what is kept
	remarks []string
}

// heading is the first line of a ledger.
const heading = "ropeswing-ledger 1"

// LedgerVersion is the version of the ledger's format that is written, as its heading says.
const LedgerVersion = 1

// explained is what a new ledger says of itself.
const explained = "# What was given stays given. Written by 'ropeswing assign'; one line a number: OWNER KIND NUMBER [retired]."

// renaming is the word of the line of a rename under way.
const renaming = "renaming"

// LargestFile is how large a ledger may be, in bytes.
const LargestFile = 64 << 20

// mostSlips is how many slips of one ledger are worth telling.
const mostSlips = 200

// ReadLedger reads a ledger. It is refused where a line cannot be read, or
// contradicts another: then the ledger is nil, and the findings say why.
func ReadLedger(file *source.File) (*Ledger, []finding.Finding) {
	r := &ledgerReader{file: file, ledger: &Ledger{File: file}}
	r.lines()
	if len(r.found) == 0 {
		r.contradictions()
	}
	if len(r.found) > 0 {
		return nil, r.found
	}
	return r.ledger, nil
}

type ledgerReader struct {
	file   *source.File
	merges bool // two versions may stand in it beside one another
	base   bool // within what both versions had
	ledger *Ledger
	found  []finding.Finding
}

func (r *ledgerReader) refuse(start, end int, reason string, args ...any) *finding.Finding {
	if len(r.found) >= mostSlips {
		return &finding.Finding{}
	}
	r.found = append(r.found, finding.New(finding.LedgerBroken, source.Place{File: r.file, Start: start, End: max(end, start+1)}, reason,
		args...))
	return &r.found[len(r.found)-1]
}

func (r *ledgerReader) lines() {
	text := r.file.Text
	r.ledger.Entries = make([]Entry, 0, r.file.Lines())
	headed := false
	for line := 1; line <= r.file.Lines(); line++ {
		start := r.file.LineStart(line)
		raw := text[start:]
		if end := bytes.IndexByte(raw, '\n'); end >= 0 {
			raw = raw[:end]
		}
		raw = bytes.TrimRight(raw, "\r \t")
		end := min(start+len(raw), len(text))
		switch {
		case len(raw) == 0:
		case !utf8.Valid(raw) || bytes.IndexFunc(raw, unicode.IsControl) >= 0:
			r.refuse(start, end, "this line is no text that a ledger holds")
		case raw[0] == '#':
			if string(raw) != explained {
				r.ledger.remarks = append(r.ledger.remarks, string(raw))
			}
		case !headed && string(raw) == heading:
			headed = true
		case !headed:
			r.refuse(start, end, "a ledger begins with the line '%s'", heading)
			return
		default:
			r.entry(string(raw), start)
		}
	}
	if !headed {
		r.refuse(0, 0, "the ledger is empty; it begins with the line '%s'", heading)
		r.found[len(r.found)-1].Place = r.file.Whole()
	}
}

// entry reads one line.
func (r *ledgerReader) entry(line string, start int) {
	end := start + len(line)
	for _, mark := range []string{"<<<<<<<", "=======", ">>>>>>>", "|||||||"} {
		if strings.HasPrefix(line, mark) {
			if r.base = mark == "|||||||"; !r.merges {
				r.refuse(start, end, "a merge of two versions was not finished here; 'assign -w' takes the lines of both").
					Next = []string{"assign", "-w"}
			}
			return
		}
	}
	if r.base {
		return
	}
	if !utf8.ValidString(line) || strings.ContainsFunc(line, func(c rune) bool { return !unicode.IsPrint(c) && c != '\t' && c != '\r' }) {
		r.refuse(start, end, "a line has control characters or bytes in it that are no text")
		return
	}
	words := strings.Fields(line)
	if len(words) == 3 && words[1] == renaming {
		r.ledger.Rename = &Rename{words[0], words[2]}
		return
	}
	if len(words) > 2 && words[1] == serialWord {
		s, ok := serialOf(words)
		if !ok {
			r.refuse(start, end, "a zone's serial is kept as ZONE %s NUMBER of DIGEST", serialWord)
			return
		}
		r.ledger.addSerial(s)
		return
	}
	e := Entry{Place: source.Place{File: r.file, Start: start, End: end}}
	if len(words) > 3 && words[3] == "retired" && len(words) < 6 {
		e.Retired = true
		if len(words) == 5 {
			if e.Since = words[4]; !isDay(e.Since) {
				r.refuse(start, end, "%s is no day; behind 'retired' stands nothing, or a day such as 2026-12-01", e.Since)
				return
			}
		}
		words = words[:3]
	}
	if len(words) != 3 {
		r.refuse(start, end, "a line is OWNER KIND NUMBER, or with 'retired' behind it")
		return
	}
	kind := slices.Index(kinds, words[1])
	if kind < 0 {
		r.refuse(start, end, "%s is no kind of number; there are %s", words[1], strings.Join(kinds, ", "))
		return
	}
	e.Owner, e.Kind = words[0], Kind(kind)
	if strings.Contains(e.Owner, ":") != (e.Kind == Address) {
		r.refuse(start, end, "an address belongs to DEVICE:INTERFACE, and nothing else does")
		return
	}
	var err error
	switch e.Kind {
	case VLAN:
		if e.VLAN, err = strconv.Atoi(words[2]); err != nil || e.VLAN < 1 || e.VLAN > 4094 {
			r.refuse(start, end, "a VLAN number is from 1 to 4094, not %s", words[2])
			return
		}
	case Subnet, Block:
		if e.Prefix, err = netip.ParsePrefix(words[2]); err != nil {
			r.refuse(start, end, "%s is no %s, which is written as 10.48.1.0/26", words[2], e.Kind)
			return
		}
		if e.Prefix != e.Prefix.Masked() {
			r.refuse(start, end, "%s is an address in a %s, and a %[2]s is meant: %[3]s", words[2], e.Kind, e.Prefix.Masked())
			return
		}
	default:
		var a netip.Addr
		if a, err = netip.ParseAddr(words[2]); err != nil || a.Zone() != "" {
			r.refuse(start, end, "%s is no address", words[2])
			return
		}
		e.Prefix = netip.PrefixFrom(a, a.BitLen())
	}
	r.ledger.Entries = append(r.ledger.Entries, e)
}

// Text is the ledger as its file holds it: the heading, remarks, and the
// entries in the order of their lines' bytes.
func (l *Ledger) Text() []byte {
	lines := make([]string, len(l.Entries))
	for i, e := range l.Entries {
		lines[i] = e.line()
	}
	for _, s := range l.Serials {
		lines = append(lines, s.line())
	}
	if l.Rename != nil {
		lines = append(lines, l.Rename.Old+" "+renaming+" "+l.Rename.New)
	}
	slices.Sort(lines)
	var b bytes.Buffer
	b.WriteString(heading + "\n" + explained + "\n")
	for _, x := range slices.Concat(l.remarks, lines) {
		b.WriteString(x)
		b.WriteByte('\n')
	}
	return b.Bytes()
}

// isDay tells whether a word is a day as YYYY-MM-DD; that there is such a day in the calendar it does not ask.
func isDay(word string) bool {
	if len(word) != len("2026-12-01") || word[4] != '-' || word[7] != '-' {
		return false
	}
	for i, c := range []byte(word) {
		if i != 4 && i != 7 && (c < '0' || c > '9') {
			return false
		}
	}
	return word[5:7] >= "01" && word[5:7] <= "12" && word[8:] >= "01" && word[8:] <= "31"
}
