package wire

import (
	"bytes"
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/observed"
	"ropeswing/core/prefix"
)

// Fields are what a column of a table can tell: the keys of a CSV heading and of a
// column map.
var Fields = []string{
	"device", "interface", "admin", "oper", "type", "mtu", "mac", "description", "speed", "duplex", "group", "address", "length", "mask", "secondary",
	"untagged", "tagged", "destination", "next-hop", "source", "distance", "metric", "active", "table", "neighbour", "neighbour-mac",
	"learned-mac", "vlan", "link-device", "link-port", "name",
}

// csvHeading tells whether the cells of a line are a heading.
func csvHeading(cells []string) bool {
	for _, c := range cells {
		if !slices.Contains(Fields, tidyField(c)) {
			return false
		}
	}
	return len(cells) > 1
}

// tidyField is a heading as a field: next_hop and 'Next hop' are next-hop.
func tidyField(text string) string {
	return strings.NewReplacer("_", "-", " ", "-").Replace(strings.ToLower(strings.Trim(text, " \t\r\n\"")))
}

// separators are what may stand between the cells of a table, as spreadsheets of different countries write it.
const separators = ",;\t"

// separatorOf is what stands between the cells of a heading; 0 where it is no heading of such a table.
func separatorOf(first string) rune {
	for _, s := range separators {
		if strings.ContainsRune(first, s) && csvHeading(strings.Split(first, string(s))) {
			return s
		}
	}
	return 0
}

func (r *Reading) readCSV(text []byte, device string) error {
	in := csv.NewReader(bytes.NewReader(text))
	first, _, _ := bytes.Cut(bytes.TrimSpace(text[:min(len(text), 1<<16)]), []byte("\n"))
	if s := separatorOf(string(first)); s != 0 {
		in.Comma = s
	}
	in.FieldsPerRecord = -1
	heading, err := in.Read()
	if err != nil {
		return err
	}
	for i, h := range heading {
		heading[i] = tidyField(h)
		if !slices.Contains(Fields, heading[i]) {
			return fmt.Errorf("line 1: there is no column %s; the columns are %s", h, strings.Join(Fields, ", "))
		}
		if slices.Index(heading, heading[i]) < i {
			return fmt.Errorf("line 1: the column %s stands there twice", heading[i])
		}
	}
	named, nobodys := slices.Contains(heading, "device"), false
	for rows := 0; ; rows++ {
		cells, err := in.Read()
		if errors.Is(err, io.EOF) {
			if nobodys && len(r.Devices) == 0 {
				return errors.New("no row says which device it is of: fill in the column device, or leave it out")
			}
			for _, d := range r.Devices {
				if nobodys { // the row may be of any of them
					d.Doubt(partsOf(heading)...)
				}
			}
			if rows > 0 {
				return nil
			}
			d, err := r.of(device)
			if err != nil {
				return err
			}
			d.Learn(partsOf(heading)...) // it is there, and empty
			return nil
		}
		if err != nil {
			return err
		}
		line, _ := in.FieldPos(0)
		row := map[string]string{}
		for i, c := range cells {
			if i < len(heading) {
				row[heading[i]] = word(heading[i], strings.TrimSpace(c), nil, nil)
			}
		}
		name := row["device"]
		if named && name == "" {
			nobodys = true
			r.unread(line, strings.Join(cells, ","), "it does not say which device it is of")
			continue
		}
		name = cmp.Or(name, device)
		d, err := r.of(name)
		if err != nil {
			return fmt.Errorf("line %d: %w", line, err)
		}
		if len(cells) != len(heading) {
			d.Doubt(partsOf(heading)...)
			r.unread(line, strings.Join(cells, ","), "%d cells under %d headings", len(cells), len(heading))
			continue
		}
		if err := takeRow(d, row, heading); err != nil {
			d.Doubt(partsOf(heading)...)
			r.unread(line, strings.Join(cells, ","), "%s", err)
		}
	}
}

// partsOf are the parts of a device that a table with such columns tells of.
func partsOf(columns []string) []observed.Part {
	has := func(name string) bool { return slices.Contains(columns, name) }
	switch {
	case has("destination"):
		return []observed.Part{observed.Routes4, observed.Routes6}
	case has("neighbour"):
		return []observed.Part{observed.Neighbours}
	case has("learned-mac"):
		return []observed.Part{observed.MACs}
	case has("link-device"):
		return []observed.Part{observed.Links}
	}
	var parts []observed.Part
	if ofInterfaces(has) {
		parts = append(parts, observed.Interfaces)
	}
	if has("address") {
		parts = append(parts, observed.Addresses4, observed.Addresses6)
	}
	if has("untagged") || has("tagged") {
		parts = append(parts, observed.VLANs)
	}
	return parts
}

// ofInterfaces tells whether a table is one of interfaces: one of addresses or of VLANs only need
// not have all of them.
func ofInterfaces(has func(string) bool) bool {
	return slices.ContainsFunc([]string{"admin", "oper", "type", "mtu", "mac", "description", "speed", "duplex", "group"}, has)
}

// takeRow takes in one row of a table: an interface, an address, a route, a
// neighbour, or a MAC. What the columns could tell is known from then on.
func takeRow(d *observed.Device, row map[string]string, columns []string) error {
	has := func(name string) bool { return slices.Contains(columns, name) }
	switch {
	case has("destination"):
		return takeRoute(d, row)
	case has("neighbour"):
		a, err := netip.ParseAddr(row["neighbour"])
		if err != nil {
			return err
		}
		d.Learn(observed.Neighbours)
		d.Neighbours = append(d.Neighbours, observed.Neighbour{Address: a, MAC: macOr(row["neighbour-mac"]), Interface: row["interface"]})
		return nil
	case has("learned-mac"):
		vlan, _ := strconv.Atoi(row["vlan"])
		d.Learn(observed.MACs)
		d.MACs = append(d.MACs, observed.MACEntry{MAC: macOr(row["learned-mac"]), Interface: row["interface"], VLAN: vlan})
		return nil
	case row["interface"] == "":
		return errors.New("it names no interface")
	case has("link-device"):
		d.Learn(observed.Links)
		d.Links = append(d.Links, observed.Link{Interface: row["interface"], Device: row["link-device"], Port: row["link-port"]})
		return nil
	}
	return takeInterface(d, row, has)
}

// macOr is a MAC in the usual form, or the text itself.
func macOr(text string) string {
	if m, err := prefix.ParseMAC(text); err == nil {
		return m
	}
	return text
}

func takeInterface(d *observed.Device, row map[string]string, has func(string) bool) error {
	i := observed.Interface{Name: row["interface"], Type: row["type"], Description: row["description"], MAC: macOr(row["mac"])}
	var err error
	if i.Admin, err = status(row["admin"]); err != nil {
		return err
	}
	if i.Oper, err = status(row["oper"]); err != nil {
		return err
	}
	if row["mtu"] != "" {
		if i.MTU, err = strconv.Atoi(row["mtu"]); err != nil || i.MTU < 0 {
			return fmt.Errorf("%s is no MTU", row["mtu"])
		}
	}
	if row["speed"] != "" {
		if i.Speed, err = strconv.ParseInt(row["speed"], 10, 64); err != nil {
			return fmt.Errorf("%s is no speed in bits a second", row["speed"])
		}
	}
	if i.Duplex = strings.ToLower(row["duplex"]); i.Duplex != "" && i.Duplex != "full" && i.Duplex != "half" {
		return fmt.Errorf("%s is no duplex: it is full or half", row["duplex"])
	}
	if has("group") {
		group := row["group"]
		i.Group = &group
	}
	if has("untagged") && row["untagged"] != "" {
		v, err := strconv.Atoi(row["untagged"])
		if err != nil || v < 0 || v > 4094 {
			return fmt.Errorf("%s is no VLAN number", row["untagged"])
		}
		i.Untagged = &v
	}
	if has("tagged") {
		if i.Tagged, err = vlanList(row["tagged"]); err != nil {
			return err
		}
	}
	secondary, err := status(row["secondary"])
	if err != nil {
		return fmt.Errorf("'%s' is neither yes nor no", row["secondary"])
	}
	var address *observed.Address
	if text := row["address"]; text != "" {
		a, err := addressOf(text, row["length"], row["mask"])
		if err != nil {
			return err
		}
		address = &observed.Address{Prefix: a, Secondary: secondary == observed.Up}
	}
	into := d.Interface(i.Name)
	addresses := into.Addresses
	merged := &observed.Device{Interfaces: []observed.Interface{i}}
	d.Merge(merged)
	into = d.Interface(i.Name)
	into.Addresses = addresses
	if address != nil {
		into.Add(*address)
	}
	if ofInterfaces(has) {
		d.Learn(observed.Interfaces)
	}
	if has("address") {
		d.Learn(observed.Addresses4)
		if address != nil && address.Addr().Is6() {
			d.Learn(observed.Addresses6)
		}
	}
	if has("untagged") || has("tagged") {
		d.Learn(observed.VLANs)
	}
	return nil
}

// status reads up or down, or yes or no; "" is not known.
func status(text string) (observed.Status, error) {
	switch strings.ToLower(text) {
	case "up", "yes", "true", "enabled", "on":
		return observed.Up, nil
	case "down", "no", "false", "disabled", "off":
		return observed.Down, nil
	case "", "unknown":
		return "", nil
	}
	return "", fmt.Errorf("'%s' is neither up nor down", text)
}

// addressOf reads an address with its length, or with a length or mask beside it.
func addressOf(text, length, mask string) (netip.Prefix, error) {
	if length != "" && !strings.Contains(text, "/") {
		text += "/" + strings.TrimPrefix(length, "/")
	} else if mask != "" && !strings.Contains(text, "/") {
		text += "/" + mask
	}
	p, whole, err := prefix.Parse(text)
	if err == nil && whole && !strings.Contains(text, "/") {
		return p, fmt.Errorf("%s has no prefix length", text)
	}
	return p, err
}

// vlanList reads VLAN numbers and ranges such as 110,160..169 or 160-169.
func vlanList(text string) ([]int, error) {
	all := []int{}
	for word := range strings.FieldsFuncSeq(text, func(c rune) bool { return c == ',' || c == ' ' || c == ';' }) {
		low, high, isRange := strings.Cut(word, "..")
		if !isRange {
			low, high, isRange = strings.Cut(word, "-")
		}
		first, err := strconv.Atoi(low)
		last := first
		if isRange && err == nil {
			last, err = strconv.Atoi(high)
		}
		if err != nil || first < 1 || last > 4094 || last < first {
			return nil, fmt.Errorf("'%s' is no list of VLAN numbers", text)
		}
		for v := first; v <= last; v++ {
			all = append(all, v)
		}
	}
	slices.Sort(all)
	return slices.Compact(all), nil
}

func takeRoute(d *observed.Device, row map[string]string) error {
	text := row["destination"]
	var to netip.Prefix
	hop, hopErr := netip.ParseAddr(row["next-hop"])
	if text == "default" {
		to = prefix.IPv4.Everything()
		if hopErr == nil && hop.Is6() {
			to = netip.PrefixFrom(netip.IPv6Unspecified(), 0)
		}
	} else {
		p, err := addressOf(text, row["length"], row["mask"])
		if err != nil {
			return err
		}
		to = p.Masked()
	}
	x := observed.Route{To: to, Interface: row["interface"], Table: row["table"], Source: strings.ToLower(row["source"])}
	switch {
	case hopErr == nil && hop.IsUnspecified(): // as lists say that there is none
	case hopErr == nil:
		x.NextHop = hop.WithZone("")
	case strings.EqualFold(row["next-hop"], "discard"):
		x.Discard = true
	case row["next-hop"] != "":
		return fmt.Errorf("'%s' is no next hop", row["next-hop"])
	}
	if !slices.Contains([]string{"", "direct", "local", "static", "learned"}, x.Source) {
		x.Source = "learned"
	}
	for name, into := range map[string]**int{"distance": &x.Distance, "metric": &x.Metric} {
		if t := row[name]; t != "" {
			n, err := strconv.Atoi(t)
			if err != nil || n < 0 {
				return fmt.Errorf("'%s' is no %s", t, name)
			}
			*into = &n
		}
	}
	if t := row["active"]; t != "" {
		s, err := status(t)
		if err != nil {
			return err
		}
		active := s == observed.Up
		x.Active = &active
		if !active {
			d.Learn(observed.Standby)
		}
	}
	d.Learn(familyPart(prefix.FamilyOf(to.Addr()), observed.Routes4, observed.Routes6))
	d.Routes = append(d.Routes, x)
	return nil
}
