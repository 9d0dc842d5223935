package wire

import (
	"bufio"
	"errors"
	"fmt"
	"io"
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
			word := words4(x.TypeCode)
			if x.TypeCode.Type() == layers.ICMPv4TypeEchoRequest || x.TypeCode.Type() == layers.ICMPv4TypeEchoReply {
				return fmt.Sprintf("%s, identifier %#04x, number %d", word, x.Id, x.Seq)
			}
			if x.TypeCode == layers.CreateICMPv4TypeCode(3, 4) {
				word += fmt.Sprintf(", %d bytes fit", x.Seq)
			}
			return word + c.about(x.Payload, layers.LayerTypeIPv4)
		case *layers.ICMPv6Echo:
			return fmt.Sprintf("%s, identifier %#04x, number %d", words6(p), x.Identifier, x.SeqNumber)
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
		body := x.Payload
		if len(body) < 4 {
			return words6(p)
		}
		text := words6(p)
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

// words4 says what an ICMP message is (RFC 792, RFC 1812).
func words4(t layers.ICMPv4TypeCode) string {
	switch t {
	case layers.CreateICMPv4TypeCode(8, 0):
		return "echo request"
	case layers.CreateICMPv4TypeCode(0, 0):
		return "echo reply"
	case layers.CreateICMPv4TypeCode(3, 0):
		return "network unreachable"
	case layers.CreateICMPv4TypeCode(3, 1):
		return "host unreachable"
	case layers.CreateICMPv4TypeCode(3, 3):
		return "port unreachable"
	case layers.CreateICMPv4TypeCode(3, 4):
		return "fragmentation needed"
	case layers.CreateICMPv4TypeCode(3, 13):
		return "administratively prohibited"
	case layers.CreateICMPv4TypeCode(11, 0):
		return "time exceeded"
	}
	return fmt.Sprintf("ICMP type %d code %d", t.Type(), t.Code())
}

// words6 says what an ICMPv6 message is (RFC 4443).
func words6(p gopacket.Packet) string {
	x, ok := p.Layer(layers.LayerTypeICMPv6).(*layers.ICMPv6)
	if !ok {
		return "ICMPv6"
	}
	switch x.TypeCode {
	case layers.CreateICMPv6TypeCode(128, 0):
		return "echo request"
	case layers.CreateICMPv6TypeCode(129, 0):
		return "echo reply"
	case layers.CreateICMPv6TypeCode(1, 0):
		return "no route to destination"
	case layers.CreateICMPv6TypeCode(1, 1):
		return "administratively prohibited"
	case layers.CreateICMPv6TypeCode(1, 2):
		return "beyond scope of source address"
	case layers.CreateICMPv6TypeCode(1, 3):
		return "address unreachable"
	case layers.CreateICMPv6TypeCode(2, 0):
		return "packet too big"
	case layers.CreateICMPv6TypeCode(3, 0):
		return "time exceeded"
	}
	return fmt.Sprintf("ICMPv6 type %d code %d", x.TypeCode.Type(), x.TypeCode.Code())
}
