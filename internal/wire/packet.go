package wire

import (
	"encoding/binary"
	"fmt"
	"net"
	"net/netip"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"

	"ropeswing/core/frames"
	"ropeswing/core/model"
	"ropeswing/core/policy"
	"ropeswing/core/prefix"
)

// serialized is layers as bytes, lengths and checksums filled in.
func serialized(all ...gopacket.SerializableLayer) ([]byte, error) {
	b := gopacket.NewSerializeBuffer()
	err := gopacket.SerializeLayers(b, gopacket.SerializeOptions{FixLengths: true, ComputeChecksums: true}, all...)
	return append([]byte(nil), b.Bytes()...), err
}

// frameBytes is a frame as it is on the wire: several where its packet was cut up.
func frameBytes(f *frames.Frame) ([][]byte, error) {
	packets, kind, err := payload(f)
	if err != nil || f.Line {
		return packets, err
	}
	var all [][]byte
	for _, p := range packets {
		stack := []gopacket.SerializableLayer{&layers.Ethernet{SrcMAC: f.From[:], DstMAC: f.To[:], EthernetType: kind}}
		if f.Tag != 0 {
			stack[0].(*layers.Ethernet).EthernetType = layers.EthernetTypeDot1Q
			stack = append(stack, &layers.Dot1Q{VLANIdentifier: uint16(f.Tag), Type: kind})
		}
		b, err := serialized(append(stack, gopacket.Payload(p))...)
		if err != nil {
			return nil, err
		}
		all = append(all, b)
	}
	return all, nil
}

// payload is what a frame carries, and of what kind it is.
func payload(f *frames.Frame) ([][]byte, layers.EthernetType, error) {
	if f.Packet != nil {
		kind := layers.EthernetTypeIPv4
		if f.Packet.Destination.Is6() {
			kind = layers.EthernetTypeIPv6
		}
		all, err := cut(f.Packet)
		return all, kind, err
	}
	if f.Ask.Address.Is6() {
		b, err := discovery(f.Ask)
		return [][]byte{b}, layers.EthernetTypeIPv6, err
	}
	b, err := arp(f.Ask)
	return [][]byte{b}, layers.EthernetTypeARP, err
}

// arp is an ARP packet (RFC 826).
func arp(a *frames.Ask) ([]byte, error) {
	by := netip.IPv4Unspecified()
	if a.By.IsValid() {
		by = a.By
	}
	x := &layers.ARP{
		AddrType: layers.LinkTypeEthernet, Protocol: layers.EthernetTypeIPv4, HwAddressSize: 6, ProtAddressSize: 4,
		Operation:       layers.ARPRequest,
		SourceHwAddress: a.AskerMAC[:], SourceProtAddress: by.AsSlice(), DstHwAddress: make([]byte, 6), DstProtAddress: a.Address.AsSlice(),
	}
	if a.Answer {
		x.Operation = layers.ARPReply
		x.SourceHwAddress, x.SourceProtAddress, x.DstHwAddress, x.DstProtAddress = a.AnswererMAC[:], a.Address.AsSlice(), a.AskerMAC[:],
			by.AsSlice()
	}
	return serialized(x)
}

// discovery is a neighbour solicitation, or the advertisement that answers it (RFC
// 4861 §4.3, §4.4).
func discovery(a *frames.Ask) ([]byte, error) {
	by := a.By
	if !by.IsValid() {
		by = linkLocal(a.AskerMAC)
	}
	ip := &layers.IPv6{Version: 6, NextHeader: layers.IPProtocolICMPv6, HopLimit: 255, SrcIP: by.AsSlice(),
		DstIP: prefix.SolicitedNode(a.Address).AsSlice()}
	head := &layers.ICMPv6{TypeCode: layers.CreateICMPv6TypeCode(layers.ICMPv6TypeNeighborSolicitation, 0)}
	var body gopacket.SerializableLayer = &layers.ICMPv6NeighborSolicitation{
		TargetAddress: a.Address.AsSlice(), Options: layers.ICMPv6Options{{Type: layers.ICMPv6OptSourceAddress, Data: a.AskerMAC[:]}},
	}
	if a.Answer {
		ip.SrcIP, ip.DstIP = a.Address.AsSlice(), by.AsSlice()
		head.TypeCode = layers.CreateICMPv6TypeCode(layers.ICMPv6TypeNeighborAdvertisement, 0)
		body = &layers.ICMPv6NeighborAdvertisement{
			Flags: 0x60, TargetAddress: a.Address.AsSlice(), // solicited, override
			Options: layers.ICMPv6Options{{Type: layers.ICMPv6OptTargetAddress, Data: a.AnswererMAC[:]}},
		}
	}
	if err := head.SetNetworkLayerForChecksum(ip); err != nil {
		return nil, err
	}
	return serialized(ip, head, body)
}

// linkLocal is the IPv6 link-local address made from a MAC (RFC 4291, appendix A).
func linkLocal(m frames.MAC) netip.Addr {
	return netip.AddrFrom16([16]byte{0xfe, 0x80, 8: m[0] ^ 2, m[1], m[2], 0xff, 0xfe, m[3], m[4], m[5]})
}

// The numbers that what asks gives its requests; of no particular system.
const (
	echoIdentifier = 0x5253
	askersPort     = 50505
	firstIPv4ID    = 0x5300
)

// packetBytes is a whole IP packet.
func packetBytes(p *frames.Packet) ([]byte, error) {
	var ip gopacket.SerializableLayer
	var network gopacket.NetworkLayer
	protocol := map[model.Protocol]layers.IPProtocol{model.ICMP: layers.IPProtocolICMPv4, model.TCP: layers.IPProtocolTCP,
		model.UDP: layers.IPProtocolUDP}[p.Service.Protocol]
	class := p.Service.Mark.CodePoint() << 2
	switch {
	case p.Kind == policy.Error && p.Destination.Is4():
		class = 48 << 2 // RFC 1812 §4.3.2.5
	case p.Kind == policy.Error, p.Kind == policy.Reply && p.Service.Protocol != model.ICMP:
		class = 0
	}
	if p.Destination.Is4() {
		x := &layers.IPv4{Version: 4, IHL: 5, TOS: class, Id: uint16(firstIPv4ID + p.Sequence), TTL: uint8(p.TTL), Protocol: protocol,
			SrcIP: p.Source.AsSlice(), DstIP: p.Destination.AsSlice()}
		if p.Whole {
			x.Flags = layers.IPv4DontFragment
		}
		if p.Kind == policy.Reply {
			x.Id += 0x100
		} else if p.Kind == policy.Error {
			x.Id += 0x200
		}
		ip, network = x, x
	} else {
		if protocol == layers.IPProtocolICMPv4 {
			protocol = layers.IPProtocolICMPv6
		}
		x := &layers.IPv6{Version: 6, TrafficClass: class, NextHeader: protocol, HopLimit: uint8(p.TTL), SrcIP: p.Source.AsSlice(),
			DstIP: p.Destination.AsSlice()}
		ip, network = x, x
	}
	body, err := transport(p, network)
	if err != nil {
		return nil, err
	}
	return serialized(append([]gopacket.SerializableLayer{ip}, body...)...)
}

// transport is what is behind the IP header.
func transport(p *frames.Packet, network gopacket.NetworkLayer) ([]gopacket.SerializableLayer, error) {
	data := make(gopacket.Payload, max(0, p.Payload))
	for i := range data {
		data[i] = byte(i)
	}
	family := prefix.FamilyOf(p.Destination)
	from, to := uint16(askersPort), p.Service.First
	if p.Kind == policy.Reply {
		from, to = to, from
	}
	switch {
	case p.Kind == policy.Error:
		return errorBody(p, network)
	case p.Service.Protocol == model.TCP:
		x := &layers.TCP{SrcPort: layers.TCPPort(from), DstPort: layers.TCPPort(to), Seq: 1000, Window: 65535, SYN: true}
		if p.Kind == policy.Reply {
			x.ACK, x.Ack, x.Seq = true, 1001, 2000
		}
		return []gopacket.SerializableLayer{x}, x.SetNetworkLayerForChecksum(network)
	case p.Service.Protocol == model.UDP:
		x := &layers.UDP{SrcPort: layers.UDPPort(from), DstPort: layers.UDPPort(to)}
		return []gopacket.SerializableLayer{x, data}, x.SetNetworkLayerForChecksum(network)
	case family == prefix.IPv4:
		kind := layers.CreateICMPv4TypeCode(layers.ICMPv4TypeEchoRequest, 0)
		if p.Kind == policy.Reply {
			kind = layers.CreateICMPv4TypeCode(layers.ICMPv4TypeEchoReply, 0)
		}
		return []gopacket.SerializableLayer{&layers.ICMPv4{TypeCode: kind, Id: echoIdentifier, Seq: uint16(p.Sequence)}, data}, nil
	}
	kind := layers.CreateICMPv6TypeCode(layers.ICMPv6TypeEchoRequest, 0)
	if p.Kind == policy.Reply {
		kind = layers.CreateICMPv6TypeCode(layers.ICMPv6TypeEchoReply, 0)
	}
	x := &layers.ICMPv6{TypeCode: kind}
	return []gopacket.SerializableLayer{x, &layers.ICMPv6Echo{Identifier: echoIdentifier, SeqNumber: uint16(p.Sequence)},
		data}, x.SetNetworkLayerForChecksum(network)
}

// errorBody is an ICMP error with as much of what it is about as it may carry: up to
// 576 bytes in all (RFC 1812 §4.3.2.3), in IPv6 up to 1280 (RFC 4443 §2.4).
func errorBody(p *frames.Packet, network gopacket.NetworkLayer) ([]gopacket.SerializableLayer, error) {
	inner := *p.Inner
	pieces, err := cut(&inner)
	if err != nil {
		return nil, err
	}
	about := pieces[0]
	if p.Destination.Is4() {
		about = about[:min(len(about), 576-20-8)]
		return []gopacket.SerializableLayer{&layers.ICMPv4{TypeCode: layers.CreateICMPv4TypeCode(p.ICMP.Type, p.ICMP.Code), Seq: uint16(p.MTU)},
			gopacket.Payload(about)}, nil
	}
	about = about[:min(len(about), 1280-40-8)]
	x := &layers.ICMPv6{TypeCode: layers.CreateICMPv6TypeCode(p.ICMP.Type, p.ICMP.Code)}
	head := binary.BigEndian.AppendUint32(nil, uint32(p.MTU))
	return []gopacket.SerializableLayer{x, gopacket.Payload(append(head, about...))}, x.SetNetworkLayerForChecksum(network)
}

// cut is a packet, or the pieces it was cut into on its path.
func cut(p *frames.Packet) ([][]byte, error) {
	whole, err := packetBytes(p)
	if err != nil {
		return nil, err
	}
	pieces := [][]byte{whole}
	for _, mtu := range p.MTUs {
		var next [][]byte
		for _, b := range pieces {
			switch {
			case len(b) <= mtu:
				next = append(next, b)
			case p.Destination.Is4():
				next = append(next, cut4(b, mtu)...)
			default:
				next = append(next, cut6(b, mtu)...)
			}
		}
		pieces = next
	}
	return pieces, nil
}

// cut4 cuts an IPv4 packet, or a piece of one, without options into pieces that fit
// (RFC 791 §3.2).
func cut4(b []byte, mtu int) [][]byte {
	room := (mtu - 20) &^ 7
	head, body := b[:20], b[20:]
	field := binary.BigEndian.Uint16(head[6:])
	var all [][]byte
	for at := 0; at < len(body); at += room {
		last := min(at+room, len(body))
		piece := append(append([]byte(nil), head...), body[at:last]...)
		binary.BigEndian.PutUint16(piece[2:], uint16(len(piece)))
		more := field & 0x2000
		if last < len(body) {
			more = 0x2000
		}
		binary.BigEndian.PutUint16(piece[6:], field&0xc000|more|(field&0x1fff+uint16(at/8)))
		piece[10], piece[11] = 0, 0
		binary.BigEndian.PutUint16(piece[10:], checksum(piece[:20]))
		all = append(all, piece)
	}
	return all
}

// cut6 cuts an IPv6 packet without extension headers into pieces that fit, as its
// sender does (RFC 8200 §4.5).
func cut6(b []byte, mtu int) [][]byte {
	room := (mtu - 48) &^ 7
	head, body := b[:40], b[40:]
	var all [][]byte
	for at := 0; at < len(body); at += room {
		last := min(at+room, len(body))
		piece := append([]byte(nil), head...)
		more := byte(0)
		if last < len(body) {
			more = 1
		}
		offset := uint16(at)
		piece = append(piece, head[6], 0, byte(offset>>8), byte(offset)|more, 0, 0, firstIPv4ID>>8, 1)
		piece = append(piece, body[at:last]...)
		piece[6] = 44 // the fragment header
		binary.BigEndian.PutUint16(piece[4:], uint16(len(piece)-40))
		all = append(all, piece)
	}
	return all
}

// checksum is that of IP (RFC 1071).
func checksum(b []byte) uint16 {
	sum := uint32(0)
	for i := 0; i+1 < len(b); i += 2 {
		sum += uint32(binary.BigEndian.Uint16(b[i:]))
	}
	for sum > 0xffff {
		sum = sum>>16 + sum&0xffff
	}
	return ^uint16(sum)
}

func macText(b []byte) string {
	if len(b) == 0 {
		return ""
	}
	return fmt.Sprint(net.HardwareAddr(b))
}
