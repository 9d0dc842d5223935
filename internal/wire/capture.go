package wire

import (
	"fmt"
	"io"
	"slices"
	"time"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"
	"github.com/gopacket/gopacket/pcapgo"

	"ropeswing/core/frames"
	"ropeswing/core/model"
)

// captureBegins is when a predicted exchange is said to begin: no moment in
// particular, and always the same.
var captureBegins = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

// WriteCapture writes frames as a capture (pcapng, draft-ietf-opsawg-pcapng), with
// an interface for each that is in it, in the order in which frames come by them.
func WriteCapture(w io.Writer, spec *model.Spec, all []frames.Frame) error {
	var order []model.InterfaceID
	line := map[model.InterfaceID]bool{}
	for _, f := range all {
		if !slices.Contains(order, f.At) {
			order = append(order, f.At)
			line[f.At] = f.Line
		}
	}
	var ng *pcapgo.NgWriter
	for i, id := range order {
		x := pcapgo.NgInterface{Name: spec.Label(id), LinkType: layers.LinkTypeEthernet, TimestampResolution: 9, SnapLength: 0}
		if line[id] {
			x.LinkType = layers.LinkTypeRaw
		}
		var err error
		if i == 0 {
			ng, err = pcapgo.NewNgWriterInterface(w,
				x, pcapgo.NgWriterOptions{SectionInfo: pcapgo.NgSectionInfo{Application: "Rope Swing",
					Comment: "a predicted exchange; nothing of it was sent"}})
		} else {
			_, err = ng.AddInterface(x)
		}
		if err != nil {
			return err
		}
	}
	if ng == nil {
		return fmt.Errorf("no frame passes any of the interfaces")
	}
	for i := range all {
		f := &all[i]
		packets, err := frameBytes(f)
		if err != nil {
			return fmt.Errorf("a packet of %s: %w", spec.Label(f.At), err)
		}
		way := pcapgo.NgEpbFlags{Direction: pcapgo.NgEpbFlagDirectionOutbound}
		if f.In {
			way.Direction = pcapgo.NgEpbFlagDirectionInbound
		}
		for n, b := range packets {
			at := captureBegins.Add(time.Duration(f.Nanos + int64(n)*1000))
			ci := gopacket.CaptureInfo{Timestamp: at, CaptureLength: len(b), Length: len(b), InterfaceIndex: slices.Index(order, f.At)}
			if err := ng.WritePacketWithOptions(ci, b, pcapgo.NgPacketOptions{Flags: &way}); err != nil {
				return err
			}
		}
	}
	return ng.Flush()
}
