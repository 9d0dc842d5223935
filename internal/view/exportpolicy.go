package view

import (
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/model"
	"ropeswing/core/policy"
	"ropeswing/core/prefix"
)

// ExportedPermit is a permit of an exported device, with its names worked out.
type ExportedPermit struct {
	Sentence string            `json:"sentence"` // as in the plan
	Of       string            `json:"of"`       // passing, or itself: for or from the device
	Effect   string            `json:"effect"`   // pass, drop or refuse
	Answers  bool              `json:"answers"`  // it covers replies only
	From     ExportedSide      `json:"from"`
	To       ExportedSide      `json:"to"`
	Over     []ExportedService `json:"over"` // empty for any
	In       []string          `json:"in"`   // interfaces, empty for any
	Out      []string          `json:"out"`  // likewise
	Pending  bool              `json:"pending"`
	Note     string            `json:"note"`
}

// ExportedSide is who a permit covers on one side.
type ExportedSide struct {
	Anyone   bool     `json:"anyone"`   // any address
	Itself   bool     `json:"itself"`   // the device
	Prefixes []string `json:"prefixes"` // of both families, merged
}

// ExportedService is what packets are for.
type ExportedService struct {
	Protocol  string `json:"protocol"`   // icmp, tcp or udp
	FirstPort int    `json:"first_port"` // 0 for icmp
	LastPort  int    `json:"last_port"`
	Mark      string `json:"mark"` // its code point by name or number, "" where that does not matter
}

// ExportedTranslation is addresses that are others beyond an interface, with its names
// worked out.
type ExportedTranslation struct {
	Sentence  string            `json:"sentence"`  // as in the plan
	Kind      string            `json:"kind"`      // one to one, shared, taken or port
	Inside    ExportedSide      `json:"inside"`    // whose addresses they are
	Outside   []string          `json:"outside"`   // what they are beyond: prefixes
	First     string            `json:"first"`     // of what is shared or taken from; "" for the interface's own
	Last      string            `json:"last"`      // likewise
	Interface bool              `json:"interface"` // shared is the interface's own address
	Beyond    string            `json:"beyond"`    // the interface
	Asked     []ExportedService `json:"asked"`     // of ports: as what they are asked for outside, else empty
	To        []ExportedService `json:"to"`        // likewise: what that is inside
}

// ExportedLease is a range of addresses that an exported device leases to hosts.
type ExportedLease struct {
	Segment      string `json:"segment"`
	First        string `json:"first"`
	Last         string `json:"last"`
	PrefixLength int    `json:"prefix_length"`
	Mask         string `json:"mask"`    // IPv4, else ""
	Gateway      string `json:"gateway"` // what a lease gives, "" for none
}

// exportPolicy fills in what a device lets pass, translates and leases.
func (x *Exported) exportPolicy(spec *model.Spec, d model.DeviceID) {
	device := &spec.Devices[d]
	x.Answers, x.Permits, x.Translations, x.Leases, x.Tables = append([]string{},
		device.Answers...), []ExportedPermit{}, []ExportedTranslation{}, []ExportedLease{}, []string{}
	x.Otherwise, x.KeepsState, x.SharesState = device.Otherwise.String(), device.KeepsState, spec.StateWith(d)
	if device.Manage != model.None {
		x.Managed = spec.Interfaces[device.Manage].Name
	}
	x.Beyond = []string{}
	for _, p := range device.Beyond {
		x.Beyond = append(x.Beyond, p.Prefix.String())
	}
	for i := range device.Permits {
		x.Permits = append(x.Permits, exportedPermit(spec, &device.Permits[i], "passing"))
	}
	for i := range device.OwnPermits {
		x.Permits = append(x.Permits, exportedPermit(spec, &device.OwnPermits[i], "itself"))
	}
	for i := range device.Translates {
		x.Translations = append(x.Translations, exportedTranslation(spec, &device.Translates[i]))
	}
	for s := range spec.Segments {
		for _, l := range spec.Segments[s].Leases {
			if l.By == d {
				x.Leases = append(x.Leases, exportedLease(spec, model.SegmentID(s), l))
			}
		}
	}
	for _, i := range x.Interfaces {
		x.Tables = withWord(x.Tables, i.Table)
	}
	for _, r := range x.Routes {
		x.Tables = withWord(x.Tables, r.Table)
	}
}

// withWord is words with one more, where there is one and it is not there yet.
func withWord(words []string, word string) []string {
	if word == "" {
		return words
	}
	for _, w := range words {
		if w == word {
			return words
		}
	}
	return append(words, word)
}

func exportedSide(s *model.Side) ExportedSide {
	x := ExportedSide{Anyone: s.Anyone, Itself: s.Itself, Prefixes: []string{}}
	for _, p := range s.Prefixes {
		x.Prefixes = append(x.Prefixes, p.String())
	}
	return x
}

func exportedPermit(spec *model.Spec, p *model.Permit, of string) ExportedPermit {
	x := ExportedPermit{
		Sentence: p.Text, Of: of, Effect: p.Ruling.String(), Answers: p.Answers, From: exportedSide(&p.From), To: exportedSide(&p.To),
		Over: []ExportedService{}, In: []string{}, Out: []string{}, Pending: p.Pending, Note: p.Note,
	}
	for _, s := range p.Over {
		x.Over = append(x.Over, exportedService(s))
	}
	for _, id := range p.In {
		x.In = append(x.In, spec.Interfaces[id].Name)
	}
	for _, id := range p.Out {
		x.Out = append(x.Out, spec.Interfaces[id].Name)
	}
	return x
}

func exportedService(s model.Service) ExportedService {
	return ExportedService{s.Protocol.String(), int(s.First), int(s.Last), s.Mark.String()}
}

func exportedTranslation(spec *model.Spec, t *model.Translation) ExportedTranslation {
	x := ExportedTranslation{
		Sentence: t.Text, Kind: translationKinds[t.Kind], Inside: exportedSide(&t.Inside), Outside: []string{}, First: address(t.First),
		Last:      address(t.Last),
		Interface: t.ByInterface, Beyond: spec.Interfaces[t.Beyond].Name,
		Asked: []ExportedService{}, To: []ExportedService{},
	}
	if t.Kind == model.Porting {
		x.Asked, x.To = append(x.Asked, exportedService(t.Asked)), append(x.To, exportedService(t.To))
	}
	if t.Kind != model.OneToOne { // what is of the other family is not translated
		is4 := t.ByInterface || t.First.Is4()
		x.Inside.Prefixes = slices.DeleteFunc(x.Inside.Prefixes, func(p string) bool { return strings.Contains(p, ":") == is4 })
	}
	switch {
	case t.ByInterface:
		if a := policy.Shared(spec, t); a.IsValid() {
			x.Outside = append(x.Outside, hostPrefix(a))
		}
	case t.Kind == model.OneToOne:
		for _, p := range t.Outside {
			x.Outside = append(x.Outside, p.String())
		}
	default:
		for _, p := range prefix.Stretch(t.First, t.Last) {
			x.Outside = append(x.Outside, p.String())
		}
	}
	return x
}

func hostPrefix(a netip.Addr) string { return netip.PrefixFrom(a, a.BitLen()).String() }

func exportedLease(spec *model.Spec, s model.SegmentID, l model.Lease) ExportedLease {
	segment := &spec.Segments[s]
	x := ExportedLease{Segment: segment.Name, First: l.First.String(), Last: l.Last.String(), Gateway: address(l.Gateway)}
	for _, p := range segment.Prefixes {
		if p.Contains(l.First) {
			x.PrefixLength, x.Mask = p.Bits(), maskOf(prefix.Mask(p.Prefix), prefix.FamilyOf(l.First))
		}
	}
	return x
}

// words is who a side covers: its addresses.
func (s ExportedSide) words() string {
	switch {
	case s.Itself:
		return "itself"
	case s.Anyone:
		return "anyone"
	}
	return strings.Join(s.Prefixes, ", ")
}

func (s ExportedService) words() string {
	switch {
	case s.Protocol == model.ICMP.String() || s.FirstPort == 0 && s.LastPort == 65535:
		return s.Protocol
	case s.FirstPort == s.LastPort:
		return s.Protocol + "/" + strconv.Itoa(s.FirstPort)
	}
	return s.Protocol + "/" + strconv.Itoa(s.FirstPort) + ".." + strconv.Itoa(s.LastPort)
}
