package model

// services are what the words of `answers` stand for: echo requests, and the ports of the
// protocols (RFC 4250, RFC 9110, RFC 3417, RFC 6242).
var services = map[string]Service{
	"ping": Echo, "ssh": port(TCP, 22), "https": port(TCP, 443), "snmp": port(UDP, 161), "netconf": port(TCP, 830),
}

// LeaseRequest is what asks for a lease (RFC 2131 §4.1).
var LeaseRequest = port(UDP, 67)

func port(p Protocol, n uint16) Service { return Service{Protocol: p, First: n, Last: n} }

// Logins are the services by which somebody logs in to a device, the commonest first.
var Logins = []string{"ssh", "netconf", "https"}

// ServiceOf is what a word of `answers` stands for.
func ServiceOf(word string) Service { return services[word] }

// Serves tells whether a device answers a service that it is asked for itself. One of which
// nothing is said, a host or the world, is taken to answer all.
func (d *Device) Serves(s Service) bool {
	s.Mark = 0 // it answers what is marked as what is not
	if len(d.Answers) == 0 || d.Leases && s.Covers(LeaseRequest) || d.isServer(s) {
		return true
	}
	for _, word := range d.Answers {
		if s.Covers(services[word]) {
			return true
		}
	}
	return false
}

// isServer tells whether a service is one of those that the plan names the device as a server for.
func (d *Device) isServer(s Service) bool {
	for _, k := range ServerKinds {
		if d.Asked[k] && s.Covers(k.Service()) {
			return true
		}
	}
	return false
}
