package report

import (
	"net/netip"
	"strings"

	"ropeswing/core/model"
)

// Own is whose page it is: some devices, and what they have. What others have is not named on it. Nil is everybody's page.
type Own struct {
	spec    *model.Spec
	devices []bool
	foreign map[string]bool // names, and addresses, of others
}

// Elsewhere stands in the place of a name that is another's.
const Elsewhere = "…"

// NewOwn is the page of some devices: theirs are also the segments they are on, the cables between them, and the blocks that
// hold nothing of others.
func NewOwn(spec *model.Spec, devices []model.DeviceID) *Own {
	o := &Own{spec: spec, devices: make([]bool, len(spec.Devices)), foreign: map[string]bool{}}
	for _, d := range devices {
		o.devices[d] = true
	}
	for d := range spec.Devices {
		o.foreign[spec.Devices[d].Name] = !o.devices[d]
	}
	segments := make([]bool, len(spec.Segments))
	for i := range spec.Interfaces {
		if x := &spec.Interfaces[i]; x.Segment != model.None && o.devices[x.Device] {
			segments[x.Segment] = true
		}
	}
	for s := range spec.Segments {
		if !segments[s] {
			o.foreign[spec.Segments[s].Name] = true
		}
	}
	for c := range spec.Cables {
		ends := spec.Cables[c].Ends
		o.foreign[spec.Cables[c].Name] = !o.devices[spec.Interfaces[ends[0]].Device] && !o.devices[spec.Interfaces[ends[1]].Device]
	}
	for i := range spec.Interfaces {
		x := &spec.Interfaces[i]
		if o.devices[x.Device] || x.Segment != model.None && segments[x.Segment] {
			continue
		}
		for _, a := range x.Addresses {
			o.foreign[a.Addr().String()] = true
		}
	}
	for b, site := range ownBlocks(spec, segments) {
		if !site {
			o.foreign[spec.Blocks[b].Name] = true
		}
	}
	return o
}

// ownBlocks tells of each block whether all segments that lie in it are own ones, and some do.
func ownBlocks(spec *model.Spec, segments []bool) []bool {
	own := make([]bool, len(spec.Blocks))
	for b := range spec.Blocks {
		some, all := false, true
		for s := range spec.Segments {
			for _, p := range spec.Segments[s].Prefixes {
				for _, block := range spec.Blocks[b].Prefixes {
					if block.Bits() <= p.Bits() && block.Contains(p.Addr()) {
						some, all = true, all && segments[s]
					}
				}
			}
		}
		own[b] = some && all
	}
	return own
}

// Has reports whether a device is one of them.
func (o *Own) Has(d model.DeviceID) bool { return o == nil || o.devices[d] }

// Names reports whether a text names something of others.
func (o *Own) Names(text string) bool { return o.Text(text) != text }

// Text is a text in which names and addresses of others are replaced.
func (o *Own) Text(text string) string {
	if o == nil {
		return text
	}
	if o.foreign[text] {
		return Elsewhere
	}
	var b strings.Builder
	for len(text) > 0 {
		n := 0
		for n < len(text) && isWord(text[n]) {
			n++
		}
		if n == 0 {
			b.WriteByte(text[0])
			text = text[1:]
			continue
		}
		b.WriteString(o.word(text[:n]))
		text = text[n:]
	}
	return b.String()
}

// isWord tells whether a byte may be of a name, a DEVICE:INTERFACE, an address or a prefix.
func isWord(c byte) bool {
	return c >= 0x80 || c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || strings.IndexByte("-_.:/", c) >= 0
}

func (o *Own) word(word string) string {
	if first, last, ok := strings.Cut(word, ".."); ok { // a range
		return o.word(first) + ".." + o.word(last)
	}
	bare := strings.TrimRight(word, ".:")
	owner, _, _ := strings.Cut(bare, ":")
	host, _, _ := strings.Cut(bare, "/")
	if a, err := netip.ParseAddr(host); err == nil {
		if o.foreign[a.String()] {
			return Elsewhere + word[len(bare):]
		}
		return word
	}
	if o.foreign[bare] || o.foreign[owner] {
		return Elsewhere + word[len(bare):]
	}
	return word
}
