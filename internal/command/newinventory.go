package command

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"ropeswing/core/plan"
	"ropeswing/core/prefix"
	"ropeswing/internal/sheet"
)

// deviceColumns are what an inventory may say of devices, and under which headings.
var deviceColumns = []sheet.Field{
	{Name: "name", Words: []string{"name", "device", "hostname", "devicename", "host", "equipment", "node", "system"}},
	{Name: "address", Fits: isAddress, Words: []string{
		"address", "managementaddress", "managementip", "mgmtip", "mgmtaddress", "mgmt", "management", "ip", "ipaddress",
	}},
	{Name: "kind", Words: []string{"kind", "type", "role", "devicetype", "function", "category", "class"}},
	{Name: "site", Words: []string{"site", "location", "building", "branch", "office"}, Fill: true},
	{Name: "serial", Words: []string{"serial", "serialnumber", "serialno", "sn", "assettag"}},
	{Name: "note", Words: []string{"note", "notes", "comment", "comments", "description", "remark", "remarks", "model"}},
}

// cableColumns are what a table of cables may say: two ports.
var cableColumns = []sheet.Field{
	{Name: "from device", Words: []string{"fromdevice", "devicea", "adevice", "sourcedevice", "localdevice", "device1", "device"}},
	{Name: "from", Words: []string{"from", "a", "aend", "enda", "fromport", "porta", "aport", "sourceport", "localport", "port1", "port"}},
	{Name: "to device", Words: []string{"todevice", "deviceb", "bdevice", "destinationdevice", "remotedevice", "device2", "neighbour"}},
	{Name: "to", Words: []string{
		"to", "b", "bend", "endb", "toport", "portb", "bport", "destinationport", "remoteport", "port2", "neighbourport",
	}},
	{Name: "name", Words: []string{"name", "cable", "label", "cableid", "id"}},
}

func isAddress(cell string) bool {
	word, _, _ := strings.Cut(cell, "/")
	_, err := prefix.ParseAddress(plainAddress(strings.TrimSpace(word)))
	return err == nil
}

// kindWords are the words by which a kind of device is known, in a column or in a name, the longer ones first.
var kindWords = []struct {
	kind  string
	words []string
}{
	{"firewall", []string{"firewall", "fw"}},
	{"switch", []string{"switch", "sw", "l2"}},
	{"router", []string{"router", "rtr", "gateway", "gw", "edge", "core", "ce", "pe"}},
	{"host", []string{"host", "server", "srv", "pc", "desktop", "laptop", "workstation", "printer", "camera", "cam", "phone", "nas", "ap",
		"access point", "controller", "sensor", "client", "appliance", "ups", "vm"}},
}

// kindOf is the kind of device that some words tell of; "" where they tell of none.
func kindOf(text string) string {
	words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool {
		return (r < 'a' || r > 'z') && !(r >= '0' && r <= '9')
	})
	for i, w := range words {
		words[i] = strings.TrimRight(w, "0123456789")
	}
	for _, k := range kindWords {
		for _, w := range k.words {
			if slices.Contains(words, w) || strings.Contains(w, " ") && strings.Contains(strings.ToLower(text), w) {
				return k.kind
			}
		}
	}
	return ""
}

// inventoryReader makes devices and cables of rows.
type inventoryReader struct {
	rowReader
	start     *plan.Start
	names     map[string]string // how a name of the tables is called in the plan
	lines     map[string]int
	addresses map[netip.Addr]string
}

// devicesFrom reads devices from an inventory into what a plan starts with, whose segments are known already.
func (a *app) devicesFrom(path string, start *plan.Start) (*inventoryReader, error) {
	text, err := a.sheetText(path)
	if err != nil {
		return nil, err
	}
	s, err := sheet.Read(text, deviceColumns, a.columnAsker(path))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	if _, named := s.Headings["name"]; !named {
		return nil, fmt.Errorf("%s: no column is called name, device or hostname", path)
	}
	r := &inventoryReader{start: start, names: map[string]string{}, lines: map[string]int{}, addresses: map[netip.Addr]string{}}
	for _, row := range s.Rows {
		r.device(row)
	}
	return r, a.tellRows(path, s, &r.rowReader)
}

func (r *inventoryReader) device(row sheet.Row) {
	written := row.Fields["name"]
	if written == "" {
		r.bad(row, "name", "a device needs a name")
		return
	}
	d := plan.StartDevice{Name: r.safe(row, "name"), Site: r.safe(row, "site"), Serial: row.Fields["serial"], Note: row.Fields["note"]}
	key := strings.ToLower(written)
	if line, again := r.lines[key]; again {
		r.bad(row, "name", "the device %s stands on line %d already", written, line)
		return
	}
	r.lines[key] = row.Line
	if r.start.Taken(d.Name) {
		r.tell(row, "%s is the name of a segment or site too: the device is called %s-device", d.Name, d.Name)
		d.Name += "-device"
	}
	r.names[key] = d.Name
	if d.Kind = kindOf(row.Fields["kind"]); d.Kind == "" {
		said := row.Fields["kind"]
		d.Kind = kindOf(written)
		by := "by its name"
		if d.Kind == "" {
			d.Kind, by = "host", "nothing says what it is"
		}
		if said != "" {
			by = "'" + said + "' is no kind that is known, " + by
		}
		d.Doubts = append(d.Doubts, "guessed: "+by)
	}
	r.address(row, &d)
	r.start.Devices = append(r.start.Devices, d)
}

// address reads where a device is managed: an address, with or without a length. The segment it lies in is that of the sheet.
func (r *inventoryReader) address(row sheet.Row, d *plan.StartDevice) {
	word, length, _ := strings.Cut(row.Fields["address"], "/")
	if word = strings.TrimSpace(word); word == "" || word == "-" {
		return
	}
	plain := plainAddress(word)
	a, err := prefix.ParseAddress(plain)
	if err != nil {
		r.bad(row, "address", "%s", err)
		return
	}
	if plain != word {
		r.tell(row, "%s is taken for %s", word, plain)
	}
	if other := r.addresses[a]; other != "" {
		d.Doubts = append(d.Doubts, fmt.Sprintf("%s is of %s too: left out here", a, other))
		r.tell(row, "%s is of %s already, and is left out of %s", a, other, d.Name)
		return
	}
	for _, s := range r.start.Segments {
		for _, p := range s.Prefixes {
			switch {
			case !p.Contains(a):
				continue
			case prefix.RoleOf(netip.PrefixFrom(a, p.Bits()), a) != prefix.UsableAddress:
				r.bad(row, "address", "%s is no machine's address in %s", a, p)
				return
			case length != "" && length != fmt.Sprint(p.Bits()):
				d.Doubts = append(d.Doubts, fmt.Sprintf("the table says /%s, and %s has %s", length, s.Name, p))
			}
			r.addresses[a] = d.Name
			d.Address, d.Segment = a, s.Name
			return
		}
	}
	d.Doubts = append(d.Doubts, fmt.Sprintf("%s lies in no segment of the sheet: left out", a))
	r.tell(row, "%s of %s lies in no segment of the sheet, and is left out", a, d.Name)
}

// cablesFrom reads cables between devices that an inventory has.
func (a *app) cablesFrom(path string, r *inventoryReader) error {
	text, err := a.sheetText(path)
	if err != nil {
		return err
	}
	s, err := sheet.Read(text, cableColumns, a.columnAsker(path))
	if err != nil {
		return fmt.Errorf("%s: %w", path, err)
	}
	for _, end := range []string{"from", "to"} {
		_, port := s.Headings[end]
		if _, device := s.Headings[end+" device"]; !port && !device {
			return fmt.Errorf("%s: no column is called %s, nor %s device: a cable has two ends, each DEVICE PORT in one column or two", path, end,
				end)
		}
	}
	c := &cableReader{rowReader: rowReader{}, inventoryReader: r, used: map[[2]string]int{}}
	for _, row := range s.Rows {
		c.cable(row)
	}
	return a.tellRows(path, s, &c.rowReader)
}

// cableReader makes cables of rows.
type cableReader struct {
	rowReader
	*inventoryReader
	used map[[2]string]int // the line of each port
}

func (c *cableReader) cable(row sheet.Row) {
	before := len(c.rowReader.wrong)
	cable := plan.StartCable{A: c.end(row, "from"), B: c.end(row, "to")}
	if row.Fields["name"] != "" {
		if cable.Name = c.rowReader.safe(row, "name"); c.start.Taken(cable.Name) || c.names[strings.ToLower(cable.Name)] != "" {
			c.rowReader.tell(row, "%s is the name of something else: the cable has none", cable.Name)
			cable.Name = ""
		}
	}
	for i, end := range [][2]string{cable.A, cable.B} {
		if line, again := c.used[end]; again && len(c.rowReader.wrong) == before {
			c.rowReader.bad(row, []string{"from", "to"}[i], "%s:%s is plugged in on line %d already", end[0], end[1], line)
		}
		c.used[end] = row.Line
	}
	if len(c.rowReader.wrong) == before {
		c.start.Cables = append(c.start.Cables, cable)
	}
}

// end reads one end of a cable: a device and a port, in two columns or in one.
func (c *cableReader) end(row sheet.Row, field string) (end [2]string) {
	device, port := row.Fields[field+" device"], row.Fields[field]
	if device == "" {
		cut := strings.IndexAny(port, ": \t")
		if cut < 0 {
			c.rowReader.bad(row, field, "'%s' is no device and port, such as 'quay-sw1 p7'", port)
			return end
		}
		device, port = port[:cut], strings.TrimSpace(strings.TrimLeft(port[cut:], ": \t"))
	}
	name, known := c.names[strings.ToLower(device)]
	if !known {
		c.rowReader.bad(row, field, "the inventory has no device called %s", device)
	}
	if port == "" || port == "-" {
		port = "port"
	}
	if safe := strings.Join(strings.Fields(port), "-"); safe != port {
		c.rowReader.tell(row, "the port '%s' is called %s", port, safe)
		port = safe
	}
	if wrong, bad := plan.CheckInterfaceName(port); bad {
		c.rowReader.bad(row, field, "a port cannot be called %s: it %s", port, wrong)
	}
	return [2]string{name, port}
}
