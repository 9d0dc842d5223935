package wire

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strings"
	"time"

	"ropeswing/core/observed"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"
	"github.com/gopacket/gopacket/pcapgo"
)

// Captured is one packet of a capture, as far as it was understood.
type Captured struct {
	Number    int    // from 1
	Nanos     int64  // since the first packet of the capture
	Interface string // its name, or number
	Way       string // in, out, or "" where the capture does not say
	FromMAC   string
	ToMAC     string
	VLAN      int // 0 where it has no tag
	Source    string
	Target    string
	TTL       int // or hop limit; -1 where it has none
	Checksum  string
	Length    int    // bytes on the wire
	What      string // in words
	Key       string // alike in the same packet on other interfaces
	Problem   string // what of it could not be understood
}

// Limits against files that are no captures to be read by eye.
const (
	LargestCapture  = 256 << 20 // bytes
	MostCaptured    = 100_000   // packets
	longestCaptured = 1 << 18   // bytes of one packet
)

// ReadCapture reads a capture, pcapng or the older pcap. The error is of a file that
// is neither, or breaks off; what was read before is returned with it.
func ReadCapture(r io.Reader) ([]Captured, error) {
	in := bufio.NewReader(io.LimitReader(r, LargestCapture))
	magic, err := in.Peek(4)
	if err != nil {
		return nil, errors.New("it is empty, or too short to be a capture")
	}
	var next func() ([]byte, gopacket.CaptureInfo, layers.LinkType, string, string, error)
	if string(magic) == "\x0a\x0d\x0d\x0a" {
		ng, err := pcapgo.NewNgReader(in, pcapgo.NgReaderOptions{WantMixedLinkType: true})
		if err != nil {
			return nil, fmt.Errorf("it is no whole capture: %w", err)
		}
		next = func() ([]byte, gopacket.CaptureInfo, layers.LinkType, string, string, error) {
			b, ci, options, err := ng.ReadPacketDataWithOptions()
			if err != nil {
				return nil, ci, 0, "", "", err
			}
			x, err := ng.Interface(ci.InterfaceIndex)
			name, way := x.Name, ""
			if !observed.IsClean(name) {
				return nil, ci, 0, "", "", fmt.Errorf("interface %d has control characters in its name", ci.InterfaceIndex)
			}
			if name == "" {
				name = fmt.Sprint("interface ", ci.InterfaceIndex)
			}
			if options.Flags != nil {
				way = map[pcapgo.NgEpbFlag]string{pcapgo.NgEpbFlagDirectionInbound: "in",
					pcapgo.NgEpbFlagDirectionOutbound: "out"}[options.Flags.Direction]
			}
			return b, ci, x.LinkType, name, way, err
		}
	} else {
		old, err := pcapgo.NewReader(in)
		if err != nil {
			return nil, fmt.Errorf("it is no capture (pcapng or pcap): %w", err)
		}
		next = func() ([]byte, gopacket.CaptureInfo, layers.LinkType, string, string, error) {
			b, ci, err := old.ReadPacketData()
			return b, ci, old.LinkType(), "interface 0", "", err
		}
	}
	var all []Captured
	var first time.Time
	for {
		b, ci, link, name, way, err := next()
		switch {
		case errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF):
			return all, nil
		case err != nil:
			return all, fmt.Errorf("it breaks off behind packet %d: %w", len(all), err)
		case len(all) == MostCaptured:
			return all, fmt.Errorf("it has more than %d packets", MostCaptured)
		case len(b) > longestCaptured:
			return all, fmt.Errorf("packet %d has %d bytes", len(all)+1, len(b))
		}
		if len(all) == 0 {
			first = ci.Timestamp
		}
		c := Captured{Number: len(all) + 1, Nanos: ci.Timestamp.Sub(first).Nanoseconds(), Interface: name, Way: way, Length: ci.Length, TTL: -1}
		c.understand(b, link)
		all = append(all, c)
	}
}

// understand reads the layers of a packet.
func (c *Captured) understand(b []byte, link layers.LinkType) {
	p := gopacket.NewPacket(b, link, gopacket.DecodeOptions{NoCopy: true})
	if e := p.ErrorLayer(); e != nil {
		c.Problem = e.Error().Error()
	}
	if x, ok := p.LinkLayer().(*layers.Ethernet); ok {
		c.FromMAC, c.ToMAC = macText(x.SrcMAC), macText(x.DstMAC)
	}
	if x, ok := p.Layer(layers.LayerTypeDot1Q).(*layers.Dot1Q); ok {
		c.VLAN = int(x.VLANIdentifier)
	}
	switch x := p.NetworkLayer().(type) {
	case *layers.IPv4:
		c.Source, c.Target, c.TTL, c.Checksum = x.SrcIP.String(), x.DstIP.String(), int(x.TTL), fmt.Sprintf("%#04x", x.Checksum)
		c.Key = fmt.Sprint("id ", x.Id, " ")
		if x.FragOffset > 0 || x.Flags&layers.IPv4MoreFragments != 0 {
			c.What = fmt.Sprintf("piece from byte %d, ", int(x.FragOffset)*8)
			c.Key += c.What
		}
	case *layers.IPv6:
		c.Source, c.Target, c.TTL = x.SrcIP.String(), x.DstIP.String(), int(x.HopLimit)
		if f, ok := p.Layer(layers.LayerTypeIPv6Fragment).(*layers.IPv6Fragment); ok {
			c.What = fmt.Sprintf("piece from byte %d, ", int(f.FragmentOffset)*8)
			c.Key += c.What
		}
	}
	c.What += c.transport(p)
	c.What = strings.TrimSuffix(c.What, ", ")
	if c.Key += c.What; c.What == "" {
		c.What = "not understood"
	}
}

// transport says what is behind the IP header, or that it is ARP.
func (c *Captured) transport(p gopacket.Packet) string {
	for _, l := range p.Layers() {
		switch x := l.(type) {
		case *layers.ARP:
			c.Source, c.Target = ipText(x.SourceProtAddress), ipText(x.DstProtAddress)
			if x.Operation == layers.ARPRequest {
				return fmt.Sprintf("ARP: who has %s? tell %s", c.Target, c.Source)
			}
			return fmt.Sprintf("ARP: %s is at %s", c.Source, macText(x.SourceHwAddress))
		case *layers.ICMPv4:
			word := wordsOf(4, int(x.TypeCode.Type()), int(x.TypeCode.Code()))
			if x.TypeCode.Type() == layers.ICMPv4TypeEchoRequest || x.TypeCode.Type() == layers.ICMPv4TypeEchoReply {
				return fmt.Sprintf("%s, identifier %#04x, number %d", word, x.Id, x.Seq)
			}
			if x.TypeCode == layers.CreateICMPv4TypeCode(3, 4) {
				word += fmt.Sprintf(", %d bytes fit", x.Seq)
			}
			if !isError(4, int(x.TypeCode.Type())) {
				return word
			}
			return word + c.about(x.Payload, layers.LayerTypeIPv4)
		case *layers.ICMPv6Echo:
			word := "echo request"
			if i, ok := p.Layer(layers.LayerTypeICMPv6).(*layers.ICMPv6); ok {
				word = wordsOf(6, int(i.TypeCode.Type()), int(i.TypeCode.Code()))
			}
			return fmt.Sprintf("%s, identifier %#04x, number %d", word, x.Identifier, x.SeqNumber)
		case *layers.ICMPv6NeighborSolicitation:
			return fmt.Sprintf("who has %s?", x.TargetAddress)
		case *layers.ICMPv6NeighborAdvertisement:
			text := fmt.Sprintf("%s is here", x.TargetAddress)
			for _, o := range x.Options {
				if o.Type == layers.ICMPv6OptTargetAddress {
					text = fmt.Sprintf("%s is at %s", x.TargetAddress, macText(o.Data))
				}
			}
			return text
		case *layers.TCP:
			flags := ""
			for _, f := range []struct {
				on   bool
				word string
			}{{x.SYN, " SYN"}, {x.ACK, " ACK"}, {x.RST, " RST"}, {x.FIN, " FIN"}} {
				if f.on {
					flags += f.word
				}
			}
			return fmt.Sprintf("TCP%s, port %d to %d", flags, x.SrcPort, x.DstPort)
		case *layers.UDP:
			return fmt.Sprintf("UDP, port %d to %d", x.SrcPort, x.DstPort)
		}
	}
	if x, ok := p.Layer(layers.LayerTypeICMPv6).(*layers.ICMPv6); ok {
		kind, body := int(x.TypeCode.Type()), x.Payload
		text := wordsOf(6, kind, int(x.TypeCode.Code()))
		if !isError(6, kind) || len(body) < 4 {
			return text + groups(kind, body)
		}
		if x.TypeCode.Type() == layers.ICMPv6TypePacketTooBig {
			text += fmt.Sprintf(", %d bytes fit", uint32(body[0])<<24|uint32(body[1])<<16|uint32(body[2])<<8|uint32(body[3]))
		}
		return text + c.about(body[4:], layers.LayerTypeIPv6)
	}
	return ""
}

// about says which packet an error is about.
func (c *Captured) about(inner []byte, kind gopacket.LayerType) string {
	p := gopacket.NewPacket(inner, kind, gopacket.DecodeOptions{NoCopy: true, Lazy: true})
	n := p.NetworkLayer()
	if n == nil {
		return ""
	}
	from, to := n.NetworkFlow().Endpoints()
	c.Key += "error" // its inner header may differ
	return fmt.Sprintf(", about %s to %s", from, to)
}

func ipText(b []byte) string {
	if len(b) != 4 {
		return ""
	}
	return fmt.Sprintf("%d.%d.%d.%d", b[0], b[1], b[2], b[3])
}

// icmpWords are what ICMP messages are, by version, type and code; -1 is any code (RFC 792, RFC 1812, RFC 1256).
var icmpWords = map[[3]int]string{
	{4, 0, 0}: "echo reply", {4, 3, 0}: "network unreachable", {4, 3, 1}: "host unreachable", {4, 3, 2}: "protocol unreachable",
	{4, 3, 3}: "port unreachable", {4, 3, 4}: "fragmentation needed", {4, 3, 5}: "source route failed", {4, 3, 9}: "administratively prohibited",
	{4, 3, 10}: "administratively prohibited", {4, 3, 13}: "administratively prohibited", {4, 5, -1}: "redirect", {4, 8, 0}: "echo request",
	{4, 9, -1}: "router advertisement", {4, 10, -1}: "router solicitation", {4, 11, 0}: "time exceeded", {4, 11, 1}: "reassembly took too long",
	{4, 12, -1}: "parameter problem", {4, 13, -1}: "timestamp request", {4, 14, -1}: "timestamp reply",
	// RFC 4443, RFC 4861, RFC 2710, RFC 3810
	{6, 1, 0}: "no route to destination", {6, 1, 1}: "administratively prohibited", {6, 1, 2}: "beyond scope of source address",
	{6, 1, 3}: "address unreachable", {6, 1, 4}: "port unreachable", {6, 1, 5}: "source address failed policy", {6, 1, 6}: "route rejects",
	{6, 2, -1}: "packet too big", {6, 3, 0}: "time exceeded", {6, 3, 1}: "reassembly took too long", {6, 4, -1}: "parameter problem",
	{6, 128, 0}: "echo request", {6, 129, 0}: "echo reply", {6, 130, -1}: "who listens?", {6, 131, -1}: "listens", {6, 132, -1}: "listens no more",
	{6, 133, -1}: "router solicitation", {6, 134, -1}: "router advertisement", {6, 137, -1}: "redirect", {6, 143, -1}: "listens",
}

// wordsOf says what an ICMP message is.
func wordsOf(version, kind, code int) string {
	if text, ok := icmpWords[[3]int{version, kind, code}]; ok {
		return text
	}
	if text, ok := icmpWords[[3]int{version, kind, -1}]; ok {
		return text
	}
	return fmt.Sprintf("ICMP%s type %d code %d", map[int]string{6: "v6"}[version], kind, code)
}

// isError tells whether an ICMP message is about a packet, the head of which it holds (RFC 792; RFC 4443 §2.1).
func isError(version, kind int) bool {
	return version == 6 && kind < 128 || version == 4 && slices.Contains([]int{3, 4, 5, 11, 12}, kind)
}

// groups are the multicast groups that a message of MLD is about, by its body behind type, code and checksum (RFC 2710 §3, RFC 3810 §5).
func groups(kind int, body []byte) string {
	var all []string
	add := func(b []byte) {
		if a, ok := netip.AddrFromSlice(b); ok && !a.IsUnspecified() {
			all = append(all, a.String())
		}
	}
	switch {
	case kind >= 130 && kind <= 132 && len(body) >= 20:
		add(body[4:20])
	case kind == 143 && len(body) >= 4:
		n, at := int(body[2])<<8|int(body[3]), 4
		for ; n > 0 && at+20 <= len(body); n-- {
			add(body[at+4 : at+20])
			at += 20 + 4*int(body[at+1]) + 16*(int(body[at+2])<<8|int(body[at+3]))
		}
	}
	if len(all) == 0 {
		return ""
	}
	return ": " + strings.Join(all, ", ")
}
