package model

import (
	"fmt"
	"ropeswing/core/plan"
	"slices"
	"strings"
)

// DeviceKey is what is set on a device as a whole by one value, as InterfaceKey is of an interface.
type DeviceKey struct {
	Name string // as in the plan
	Of   bool   // its value names a device
	List bool   // it has several values
	What string // what it is a difference of, where that is another word
	Says func(d *Device) string
	Set  func(d *Device, value string) error // a value of "" takes it away
}

// DeviceKeys are all of them. Permits and translations are lists of sentences, and set one by one.
var DeviceKeys = []DeviceKey{
	{Name: "otherwise", What: "permit", Says: func(d *Device) string {
		if d.Otherwise == Pass {
			return ""
		}
		return d.Otherwise.String()
	}, Set: func(d *Device, value string) error {
		for _, r := range []Ruling{Pass, Drop, Refuse} {
			if value == r.String() || value == "" && r == Pass {
				d.Otherwise = r
				return nil
			}
		}
		return fmt.Errorf("%s is neither pass, drop nor refuse", value)
	}},
	{
		Name: "keeps-state", What: "permit",
		Says: func(d *Device) string { return trueOr(d.KeepsState) },
		Set: func(d *Device, value string) error {
			d.KeepsState = value == "true"
			return oneOf(value, "true", "false")
		}},
	{
		Name: "shares-state", What: "permit", Of: true,
		Says: func(d *Device) string { return d.SharesState },
		Set: func(d *Device, value string) error {
			if value == d.Name {
				return errSharesWithItself
			}
			d.SharesState = value
			return nil
		}},
	{
		Name: "forwards",
		Says: func(d *Device) string { return trueOr(d.Forwards) },
		Set: func(d *Device, value string) error {
			d.Forwards = value == "true"
			return oneOf(value, "true", "false")
		}},
	{
		Name: "answers", List: true,
		Says: func(d *Device) string { return strings.Join(d.Answers, ", ") },
		Set: func(d *Device, value string) error {
			d.Answers = nil
			for _, word := range listOf(value) {
				if !slices.Contains(plan.Services, word) {
					return fmt.Errorf("%s is no service", word)
				}
				d.Answers = append(d.Answers, word)
			}
			return nil
		}},
	serverKey(NameServers),
	serverKey(TimeServers),
	serverKey(LogServers),
}

// DeviceKeyNamed finds a key by its name; nil where there is none.
func DeviceKeyNamed(name string) *DeviceKey {
	n := slices.IndexFunc(DeviceKeys, func(k DeviceKey) bool { return k.Name == name })
	if n < 0 {
		return nil
	}
	return &DeviceKeys[n]
}
