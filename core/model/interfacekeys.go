package model

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"ropeswing/core/prefix"
)

// InterfaceKey is what is set on an interface by one value: how that is said, and how it is set. What differs between two
// networks is told, set by a step, tried by --with and taken back by this table.
type InterfaceKey struct {
	Name string // as in the plan
	Many string // what several of them are called
	List bool   // of several values, with commas between them
	Is   bool   // part of what the interface is, and said where it is made
	Says func(s *Spec, i *Interface) string
	Set  func(s *Spec, i *Interface, value string) error // a value of "" takes it away
}

// InterfaceKeys are all of them. Addresses, VLANs, members and admin have more than one value, and words of their own.
var InterfaceKeys = []InterfaceKey{
	{
		Name: "parent", Is: true,
		Says: func(s *Spec, i *Interface) string { return s.interfaceName(i.Parent) },
		Set: func(s *Spec, i *Interface, value string) (err error) {
			i.Parent, err = s.sibling(i, value)
			return err
		}},
	{
		Name: "tag", Many: "tags", Is: true,
		Says: func(_ *Spec, i *Interface) string { return numberOr(int64(i.Tag)) },
		Set: func(s *Spec, i *Interface, value string) error {
			n, err := numberTo(value, 4094)
			if i.Tag = VLAN(n); err == nil && n > 0 {
				i.Segment = s.SegmentOfVLAN(i.Tag)
			}
			return err
		}},
	{
		Name: "mtu",
		Says: func(_ *Spec, i *Interface) string { return numberOr(int64(i.MTU)) },
		Set: func(s *Spec, i *Interface, value string) error {
			n, err := numberTo(value, 1<<31-1)
			if value != "" && err == nil && n < 68 {
				err = fmt.Errorf("%s is no MTU of 68 or more", value) // RFC 791
			}
			i.MTU = int(n)
			return err
		}},
	{
		Name: "note", Many: "notes",
		Says: func(_ *Spec, i *Interface) string { return i.Note },
		Set: func(_ *Spec, i *Interface, value string) error {
			i.Note = value
			return nil
		}},
	{
		Name: "mac",
		Says: func(_ *Spec, i *Interface) string { return strings.ToLower(i.MAC) },
		Set: func(_ *Spec, i *Interface, value string) (err error) {
			if i.MAC = ""; value != "" {
				i.MAC, err = prefix.ParseMAC(value)
			}
			return err
		}},
	{
		Name: "bandwidth",
		Says: func(_ *Spec, i *Interface) string { return BandwidthWords(i.Bandwidth) },
		Set: func(_ *Spec, i *Interface, value string) (err error) {
			if i.Bandwidth = 0; value != "" {
				i.Bandwidth, err = ParseBandwidth(value)
			}
			return err
		}},
	{
		Name: "duplex",
		Says: func(_ *Spec, i *Interface) string { return i.Duplex },
		Set: func(_ *Spec, i *Interface, value string) error {
			i.Duplex = value
			return oneOf(value, "full", "half")
		}},
	{
		Name: "line", Many: "serial lines",
		Says: func(_ *Spec, i *Interface) string { return map[bool]string{true: "serial"}[i.Serial] },
		Set: func(_ *Spec, i *Interface, value string) error {
			i.Serial = value == "serial"
			return oneOf(value, "serial", "ethernet")
		}},
	{
		Name: "clock", Many: "clocks",
		Says: func(_ *Spec, i *Interface) string { return map[bool]string{true: "here"}[i.Clocks] },
		Set: func(_ *Spec, i *Interface, value string) error {
			i.Clocks = value == "here" || value == "true"
			return oneOf(value, "here", "true", "false")
		}},
	{
		Name: "negotiates", Many: "whether groups negotiate",
		Says: func(_ *Spec, i *Interface) string { return trueOr(i.Negotiates) },
		Set: func(_ *Spec, i *Interface, value string) error {
			i.Negotiates = value == "true"
			return oneOf(value, "true", "false")
		}},
	{
		Name: "borrow", Many: "borrowed addresses",
		Says: func(s *Spec, i *Interface) string { return s.interfaceName(i.Borrow) },
		Set: func(s *Spec, i *Interface, value string) (err error) {
			i.Borrow, err = s.sibling(i, value)
			return err
		}},
	{
		Name: "table", Many: "the tables of interfaces",
		Says: func(_ *Spec, i *Interface) string { return i.Table },
		Set: func(_ *Spec, i *Interface, value string) error {
			i.Table = value
			return nil
		}},
	{Name: "relay", Many: "relays", List: true, Says: func(_ *Spec, i *Interface) string {
		var all []string
		for _, r := range i.Relay {
			all = append(all, r.To.String())
		}
		return strings.Join(all, ", ")
	}, Set: func(_ *Spec, i *Interface, value string) error {
		i.Relay = nil
		for _, word := range listOf(value) {
			a, err := netip.ParseAddr(word)
			if err != nil {
				return fmt.Errorf("%s is no address", word)
			}
			i.Relay = append(i.Relay, Relayed{To: a, Place: i.Place})
		}
		return nil
	}},
	{
		Name: "advertises", Many: "router advertisements",
		Says: func(_ *Spec, i *Interface) string { return trueOr(i.Advertises) },
		Set: func(_ *Spec, i *Interface, value string) error {
			i.Advertises = value == "true"
			return oneOf(value, "true", "false")
		}},
	{Name: "virtual", Many: "virtual addresses", List: true, Says: func(_ *Spec, i *Interface) string {
		var all []string
		for _, a := range i.Addresses {
			if a.Virtual {
				all = append(all, a.Prefix.String())
			}
		}
		return strings.Join(all, ", ")
	}, Set: func(_ *Spec, i *Interface, value string) error {
		was := i.Addresses
		i.Addresses = slices.DeleteFunc(slices.Clone(was), func(a Address) bool { return a.Virtual })
		alone := len(i.Addresses) == 0
		for _, word := range listOf(value) {
			p, whole, err := prefix.Parse(word)
			if err != nil || whole && !strings.Contains(word, "/") {
				return fmt.Errorf("%s is no address with its length", word)
			}
			if n := slices.IndexFunc(was, func(a Address) bool { return a.Virtual && a.Prefix == p }); n >= 0 {
				i.Addresses = append(i.Addresses, was[n])
				continue
			}
			i.Addresses = append(i.Addresses, Address{Prefix: p, Place: i.Place, Virtual: true, Secondary: !alone})
		}
		return nil
	}},
	{
		Name: "priority", Many: "their priorities",
		Says: func(_ *Spec, i *Interface) string { return numberOr(int64(i.Priority)) },
		Set: func(_ *Spec, i *Interface, value string) error {
			n, err := numberTo(value, 255)
			i.Priority = uint8(n)
			return err
		}},
	{Name: "follows", Many: "what they follow", List: true, Says: func(s *Spec, i *Interface) string {
		var all []string
		for _, f := range i.Follows {
			word := s.interfaceName(f.Interface)
			if f.Watch.IsValid() {
				word = f.Watch.String()
			}
			if f.By != lowestPriority {
				word += fmt.Sprintf(" by %d", f.By)
			}
			all = append(all, word)
		}
		return strings.Join(all, ", ")
	}, Set: func(s *Spec, i *Interface, value string) error {
		i.Follows = nil
		for _, word := range strings.FieldsFunc(value, func(r rune) bool { return r == ',' }) {
			f, err := s.followed(i, strings.TrimSpace(word))
			if err != nil {
				return err
			}
			i.Follows = append(i.Follows, f)
		}
		return nil
	}},
}

// InterfaceKeyNamed finds a key by its name; nil where there is none.
func InterfaceKeyNamed(name string) *InterfaceKey {
	n := slices.IndexFunc(InterfaceKeys, func(k InterfaceKey) bool { return k.Name == name })
	if n < 0 {
		return nil
	}
	return &InterfaceKeys[n]
}

// interfaceName is the name of an interface; "" of none.
func (s *Spec) interfaceName(id InterfaceID) string {
	if id == None {
		return ""
	}
	return s.Interfaces[id].Name
}

// sibling is the interface of that name on the device of an interface; None of "".
func (s *Spec) sibling(i *Interface, name string) (InterfaceID, error) {
	if name == "" {
		return None, nil
	}
	id, ok := s.InterfaceNamed(i.Device, name)
	if !ok {
		return None, fmt.Errorf("%s has no interface %s", s.Devices[i.Device].Name, name)
	}
	return id, nil
}

// ParseBandwidth reads how many bits a second a text such as 64k, 100M or 10G says, from 1 to 10^15.
func ParseBandwidth(text string) (int64, error) {
	number, unit := strings.TrimRight(text, "kMGT"), int64(1)
	switch text[len(number):] {
	case "k":
		unit = 1e3
	case "M":
		unit = 1e6
	case "G":
		unit = 1e9
	case "T":
		unit = 1e12
	case "":
	default:
		number = "?"
	}
	n, err := strconv.ParseInt(number, 10, 64)
	if err != nil || n < 1 || n > 1e15/unit {
		return 0, fmt.Errorf("%s is no bandwidth; write bits a second such as 64k, 100M or 10G", text)
	}
	return n * unit, nil
}

// BandwidthWords is a bandwidth as the plan writes it; "" of 0.
func BandwidthWords(bits int64) string {
	if bits == 0 {
		return ""
	}
	unit := ""
	for _, next := range []string{"k", "M", "G", "T"} {
		if bits%1000 != 0 {
			break
		}
		bits, unit = bits/1000, next
	}
	return strconv.FormatInt(bits, 10) + unit
}

func numberOr(n int64) string {
	if n == 0 {
		return ""
	}
	return strconv.FormatInt(n, 10)
}

func numberTo(text string, most uint64) (uint64, error) {
	if text == "" {
		return 0, nil
	}
	n, err := strconv.ParseUint(text, 10, 32)
	if err != nil || n > most || n == 0 {
		return 0, fmt.Errorf("%s is no number from 1 to %d", text, most)
	}
	return n, nil
}

func trueOr(is bool) string { return map[bool]string{true: "true"}[is] }

func oneOf(value string, all ...string) error {
	if value != "" && !slices.Contains(all, value) {
		return errors.New("write " + strings.Join(all, " or "))
	}
	return nil
}

func listOf(value string) []string {
	return strings.FieldsFunc(value, func(r rune) bool { return r == ',' || r == ' ' })
}
