package form

import "strings"

// Shapes are the ways in which the fact may be written, for tests.
func (f *Fact) Shapes() []string {
	if f.Type == Names || f.Type == Numbers {
		var all []string
		for _, s := range listShapes() {
			if f.Type == Numbers || s.runs != ":" && s.with != "/" {
				all = append(all, s.String())
			}
		}
		return all
	}
	if f.Type == Addr {
		return f.shapesOf()
	}
	return f.shapesOf()
}

// Sample is a device with one thing that has the fact, and a line of a form that says it.
func Sample(f *Fact, value, shape string) (*Thing, string) {
	top := &Thing{Kind: Device, V: map[string]string{"device": "d"}}
	var make func(k Kind) *Thing
	line := ""
	make = func(k Kind) *Thing {
		if k == Device {
			return top
		}
		t := make(parents[k]).add(k)
		key := keys[k]
		switch key.Type {
		case Number:
			t.set(key.Name, "12")
		case Addr:
			t.set(key.Name, "10.0.0.1").set("length", "24").set("family", "ipv4")
		case MAC:
			t.set(key.Name, "02:00:5e:00:00:01")
		default:
			t.set(key.Name, "k1")
		}
		if key != f {
			line += key.Name + " {" + key.Name + "} "
		}
		return t
	}
	t := make(f.Of)
	if f.Name == "family" && value == "ipv6" {
		t.set(keys[f.Of].Name, "2001:db8::1")
	}
	if f.Type == Addr && f.Key {
		t.set("family", "ipv6")
	}
	t.set(f.Name, value)
	slot := strings.TrimSpace(f.Name + " " + shape)
	if f.Type == Length && shape != "" {
		slot = shape
	}
	return top, strings.TrimSpace(line + "is {" + slot + "}")
}

// ValueIn is the value of the fact in the one thing that has it.
func ValueIn(device *Thing, f *Fact) string {
	value := ""
	device.all(f.Of, func(t *Thing) bool {
		if v := t.V[f.Name]; v != "" {
			value = v
		}
		return true
	})
	return value
}
