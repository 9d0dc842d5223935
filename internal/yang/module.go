package yang

import _ "embed"

// Module is a module by its namespace.
type Module string

// The modules of which data are read and written.
const (
	Interfaces Module = "urn:ietf:params:xml:ns:yang:ietf-interfaces"           // RFC 8343
	IP         Module = "urn:ietf:params:xml:ns:yang:ietf-ip"                   // RFC 8344
	Routing    Module = "urn:ietf:params:xml:ns:yang:ietf-routing"              // RFC 8349
	Unicast4   Module = "urn:ietf:params:xml:ns:yang:ietf-ipv4-unicast-routing" // RFC 8349
	Unicast6   Module = "urn:ietf:params:xml:ns:yang:ietf-ipv6-unicast-routing" // RFC 8349
	Types      Module = "urn:ietf:params:xml:ns:yang:iana-if-type"              // RFC 7224
	Device     Module = "urn:ropeswing:device"                                  // our own: modules/ropeswing-device
	NETCONF    Module = "urn:ietf:params:xml:ns:netconf:base:1.0"               // RFC 6241
)

// names are the names of the modules, by which JSON and values tell them apart.
var names = [...]struct {
	name   string
	module Module
}{
	{"ietf-interfaces", Interfaces}, {"ietf-ip", IP}, {"ietf-routing", Routing}, {"ietf-ipv4-unicast-routing", Unicast4},
	{"ietf-ipv6-unicast-routing", Unicast6}, {"iana-if-type", Types}, {"ropeswing-device", Device},
}

// Named is the module of that name; "" where it is none of those that are read and written.
func Named(name string) Module {
	for _, x := range &names {
		if x.name == name {
			return x.module
		}
	}
	return ""
}

// Name is the name of a module; its namespace where it is none of those that are read and written.
func (m Module) Name() string {
	for _, x := range &names {
		if x.module == m {
			return x.name
		}
	}
	return string(m)
}

//go:embed modules/ropeswing-device@2026-11-29.yang
var deviceText string

// TextOf is the text of a module of this program's own, by its name.
func TextOf(name string) (text string, ok bool) { return deviceText, name == Device.Name() }
