package wire

import (
	"errors"
	"slices"

	"ropeswing/core/observed"
)

// LinuxGear is the word for the gear that needs no file: a machine with Linux, whose ip prints lists.
const LinuxGear = "linux"

// linuxLists are what a machine with Linux is asked, by what is known from each list, as JSON and, where its ip prints none, plain.
var linuxLists = []struct{ of, json, plain string }{
	{"addr", "ip -j addr", "ip addr"},
	{"route4", "ip -j -4 route", "ip -4 route"},
	{"route6", "ip -j -6 route", "ip -6 route"},
	{"neigh", "ip -j neigh", "ip neigh"},
}

// Linux is how a machine with Linux is asked and read.
func Linux() *Gear {
	g := &Gear{TextReader: linuxReader{}}
	for _, l := range linuxLists {
		g.Ask, g.Else = append(g.Ask, l.json), append(g.Else, l.plain)
	}
	return g
}

type linuxReader struct{}

// ReadText implements TextReader.
func (linuxReader) ReadText(text []byte, device string) (*Reading, error) {
	return Read(text, "linux", device)
}

// ReadLists reads the answers to Linux's lists, in their order; nil is one that did not come. The routes are those of the main table.
func (linuxReader) ReadLists(texts [][]byte, device string) (*Reading, error) {
	all := &Reading{Format: "linux"}
	d, err := all.of(device)
	if err != nil {
		return nil, err
	}
	for i, l := range linuxLists {
		if texts[i] == nil {
			continue
		}
		one := &Reading{Format: "linux"}
		err := one.readLinux(texts[i], device, l.of == "route6")
		if errors.Is(err, ErrEmpty) || err == nil && len(one.Devices[0].Known) == 0 && len(one.Unread) == 0 {
			one, _ = Empty(device, l.of)
		} else if err != nil {
			return nil, err
		}
		all.Unread = append(all.Unread, one.Unread...)
		d.Merge(one.Devices[0])
	}
	d.MainTableOnly = slices.Contains(d.Known, observed.Routes4) || slices.Contains(d.Known, observed.Routes6)
	return all, all.check()
}
