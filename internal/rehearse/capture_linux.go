package rehearse

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net/netip"
	"slices"
	"sync"
	"time"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"
	"github.com/gopacket/gopacket/pcapgo"
	"golang.org/x/sys/unix"

	"ropeswing/core/model"
)

// packet is one that passed an interface.
type packet struct {
	interfaceID model.InterfaceID
	out         bool
	at          time.Time
	bytes       []byte
}

// sniff hands on what passes the interfaces of a device, until the function that comes back
// is called. Interfaces none is all.
func (l *Lab) sniff(d model.DeviceID, only []model.InterfaceID, hand func(packet)) (stop func(), err error) {
	device := l.devices[d]
	var fd int
	err = device.space.inside(func() error {
		all := int(binary.NativeEndian.Uint16(binary.BigEndian.AppendUint16(nil, unix.ETH_P_ALL)))
		if fd, err = unix.Socket(unix.AF_PACKET, unix.SOCK_RAW|unix.SOCK_CLOEXEC, all); err != nil {
			return err
		}
		if err := unix.SetsockoptInt(fd, unix.SOL_SOCKET, unix.SO_TIMESTAMPNS, 1); err != nil {
			return err
		}
		return unix.SetsockoptTimeval(fd, unix.SOL_SOCKET, unix.SO_RCVTIMEO, &unix.Timeval{Usec: 100000})
	})
	if err != nil {
		return nil, err
	}
	byIndex := map[int]model.InterfaceID{}
	for id, index := range device.links {
		if l.made(id) && (len(only) == 0 || slices.Contains(only, id)) {
			byIndex[index] = id
		}
	}
	done := make(chan struct{})
	var group sync.WaitGroup
	group.Go(func() {
		buffer, control := make([]byte, 1<<16), make([]byte, 256)
		for {
			n, c, _, from, err := unix.Recvmsg(fd, buffer, control, 0)
			select {
			case <-done:
				return
			default:
			}
			link, ok := from.(*unix.SockaddrLinklayer)
			if err != nil || !ok {
				continue
			}
			if id, ok := byIndex[link.Ifindex]; ok {
				hand(packet{id, link.Pkttype == unix.PACKET_OUTGOING, takenAt(control[:c]), slices.Clone(buffer[:n])})
			}
		}
	})
	return sync.OnceFunc(func() {
		close(done)
		group.Wait()
		_ = unix.Close(fd)
	}), nil
}

// takenAt is when the kernel took a packet in.
func takenAt(control []byte) time.Time {
	messages, err := unix.ParseSocketControlMessage(control)
	if err == nil {
		for _, m := range messages {
			if m.Header.Level == unix.SOL_SOCKET && m.Header.Type == unix.SCM_TIMESTAMPNS && len(m.Data) >= 16 {
				return time.Unix(int64(binary.NativeEndian.Uint64(m.Data)), int64(binary.NativeEndian.Uint64(m.Data[8:])))
			}
		}
	}
	return time.Now()
}

// Capture writes what passes an interface to a file (pcapng), until the context ends or the
// function that comes back is called; that tells how many packets there were.
func (l *Lab) Capture(id model.InterfaceID, w io.Writer) (stop func() (int, error), err error) {
	spec := l.now.Load().Spec
	if !l.made(id) {
		return nil, fmt.Errorf("%s is no interface of its own in a rehearsal: switch ports, members of groups and loopbacks are not",
			spec.Label(id))
	}
	ng, err := pcapgo.NewNgWriterInterface(w,
		pcapgo.NgInterface{Name: spec.Label(id), LinkType: layers.LinkTypeEthernet, TimestampResolution: 9},
		pcapgo.NgWriterOptions{SectionInfo: pcapgo.NgSectionInfo{Application: "Rope Swing",
			Comment: "of a rehearsal: real packets of namespaces of one machine"}})
	if err != nil {
		return nil, err
	}
	count := 0
	var writing error
	end, err := l.sniff(spec.Interfaces[id].Device, []model.InterfaceID{id}, func(p packet) {
		flags := pcapgo.NgEpbFlags{Direction: pcapgo.NgEpbFlagDirectionInbound}
		if p.out {
			flags.Direction = pcapgo.NgEpbFlagDirectionOutbound
		}
		info := gopacket.CaptureInfo{Timestamp: p.at, CaptureLength: len(p.bytes), Length: len(p.bytes)}
		if err := ng.WritePacketWithOptions(info, p.bytes, pcapgo.NgPacketOptions{Flags: &flags}); err != nil {
			writing = err
		}
		count++
	})
	if err != nil {
		return nil, err
	}
	return func() (int, error) {
		end()
		return count, errors.Join(writing, ng.Flush())
	}, nil
}

// Sighting is a packet that was seen at an interface.
type Sighting struct {
	At    model.InterfaceID
	Out   bool
	Nanos int64 // since the first
	From  netip.Addr
	To    netip.Addr
	What  string // such as echo request, echo reply, time exceeded
}

// follow sends a ping and looks at every interface for what comes of it.
func (l *Lab) follow(ctx context.Context, from model.DeviceID, to netip.Addr) ([]Sighting, error) {
	var mutex sync.Mutex
	var all []Sighting
	begin := time.Now()
	for d := range l.devices {
		stop, err := l.sniff(model.DeviceID(d), nil, func(p packet) {
			if s, ok := sighted(p); ok {
				s.Nanos = int64(p.at.Sub(begin))
				mutex.Lock()
				defer mutex.Unlock()
				all = append(all, s)
			}
		})
		if err != nil {
			return nil, err
		}
		defer stop()
	}
	if err := l.once(from, to); err != nil || ctx.Err() != nil {
		return nil, errors.Join(err, ctx.Err())
	}
	mutex.Lock()
	defer mutex.Unlock()
	return slices.DeleteFunc(slices.Clone(all), func(s Sighting) bool { return s.What == "" }), nil
}

// sighted is what a packet is, of those that pings are made of; false for others.
func sighted(p packet) (Sighting, bool) {
	s := Sighting{At: p.interfaceID, Out: p.out}
	parsed := gopacket.NewPacket(p.bytes, layers.LayerTypeEthernet, gopacket.DecodeOptions{Lazy: true, NoCopy: true})
	switch network := parsed.NetworkLayer().(type) {
	case *layers.IPv4:
		s.From, _ = netip.AddrFromSlice(network.SrcIP.To4())
		s.To, _ = netip.AddrFromSlice(network.DstIP.To4())
		icmp, ok := parsed.Layer(layers.LayerTypeICMPv4).(*layers.ICMPv4)
		if !ok {
			return s, false
		}
		switch icmp.TypeCode.Type() {
		case layers.ICMPv4TypeEchoRequest:
			s.What = "echo request"
		case layers.ICMPv4TypeEchoReply:
			s.What = "echo reply"
		case layers.ICMPv4TypeTimeExceeded:
			s.What = "time exceeded"
		case layers.ICMPv4TypeDestinationUnreachable:
			s.What = fmt.Sprintf("unreachable, code %d", icmp.TypeCode.Code())
		}
	case *layers.IPv6:
		s.From, _ = netip.AddrFromSlice(network.SrcIP)
		s.To, _ = netip.AddrFromSlice(network.DstIP)
		icmp, ok := parsed.Layer(layers.LayerTypeICMPv6).(*layers.ICMPv6)
		if !ok {
			return s, false
		}
		switch icmp.TypeCode.Type() {
		case layers.ICMPv6TypeEchoRequest:
			s.What = "echo request"
		case layers.ICMPv6TypeEchoReply:
			s.What = "echo reply"
		case layers.ICMPv6TypeTimeExceeded:
			s.What = "time exceeded"
		case layers.ICMPv6TypeDestinationUnreachable:
			s.What = fmt.Sprintf("unreachable, code %d", icmp.TypeCode.Code())
		}
	}
	return s, s.What != "" && !bytes.Contains(p.bytes, []byte(probeData))
}
