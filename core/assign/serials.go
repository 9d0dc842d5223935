package assign

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Serial is the number of a DNS zone that was written last (RFC 1035 §3.3.13), and of what.
type Serial struct {
	Zone   string // without the dot at its end
	Number uint32
	Digest string // of what stood in the zone
}

// serialWord is the word of a line that keeps a serial: ZONE serial NUMBER of DIGEST.
const serialWord = "serial"

func (s Serial) line() string {
	return fmt.Sprintf("%s %s %d of %s", s.Zone, serialWord, s.Number, s.Digest)
}

// serialOf reads the words of a line that keeps a serial.
func serialOf(words []string) (Serial, bool) {
	if len(words) != 5 || words[3] != "of" {
		return Serial{}, false
	}
	n, err := strconv.ParseUint(words[2], 10, 32)
	return Serial{words[0], uint32(n), words[4]}, err == nil && n > 0
}

// addSerial keeps the higher one of two of one zone: two branches may each have counted.
func (l *Ledger) addSerial(s Serial) {
	for i := range l.Serials {
		if k := &l.Serials[i]; k.Zone == s.Zone {
			if s.Number == k.Number && s.Digest != k.Digest {
				s.Digest = "both" // neither of them: what is written next has a number of its own
			}
			*k = slices.MaxFunc([]Serial{*k, s}, func(a, b Serial) int { return cmp.Compare(a.Number, b.Number) })
			if s.Number == k.Number {
				k.Digest = s.Digest
			}
			return
		}
	}
	l.Serials = append(l.Serials, s)
}

// Numbered is the serial of a zone that holds a text, on a day such as 2026-12-01: the last one where that is what was written
// then, else the day's first, or the next behind the last. It is kept in the ledger.
func (l *Ledger) Numbered(zone string, text []byte, day string) uint32 {
	sum := sha256.Sum256(text)
	s := Serial{Zone: zone, Digest: hex.EncodeToString(sum[:6])}
	i := slices.IndexFunc(l.Serials, func(k Serial) bool { return k.Zone == zone })
	if i >= 0 && l.Serials[i].Digest == s.Digest {
		return l.Serials[i].Number
	}
	first, _ := strconv.ParseUint(strings.ReplaceAll(day, "-", "")+"01", 10, 32)
	s.Number = uint32(max(first, 1))
	if i < 0 {
		l.Serials = append(l.Serials, s)
		return s.Number
	}
	if last := l.Serials[i].Number; last >= s.Number {
		if s.Number = last + 1; s.Number == 0 { // RFC 1982: it goes round
			s.Number = 1
		}
	}
	l.Serials[i] = s
	return s.Number
}

// WithSerials is a ledger, nil where there is none yet, whose serials may be changed.
func WithSerials(l *Ledger) *Ledger {
	next := &Ledger{}
	if l != nil {
		*next = *l
	}
	next.Serials = slices.Clone(next.Serials)
	return next
}
