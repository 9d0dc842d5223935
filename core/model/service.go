package model

import (
	"fmt"
	"strconv"
	"strings"
)

// Protocol is a protocol above IP; 0 is any.
type Protocol uint8

const (
	AnyProtocol Protocol = iota
	ICMP                 // of either family
	TCP
	UDP
)

func (p Protocol) String() string { return [...]string{"any", "icmp", "tcp", "udp"}[p] }

// Service is what a packet is for: a protocol, and for TCP and UDP the range of
// ports it is sent to, both ends in it; all ports are from 0 to 65535. Mark is what it is
// marked with, where that matters.
type Service struct {
	Protocol    Protocol
	First, Last uint16
	Mark        Mark
}

// Echo is the service of a ping.
var Echo = Service{Protocol: ICMP}

// ServiceForms is how a service is written.
const ServiceForms = "'icmp', 'tcp', 'udp', 'tcp/443' or 'udp/5000..5099', with 'marked ef' behind it where that matters"

// ParseService reads a service.
func ParseService(text string) (Service, error) {
	bad := fmt.Errorf("a service is %s, not %s", ServiceForms, text)
	if bare, mark, marked := strings.Cut(text, " marked "); marked {
		s, err := ParseService(bare)
		if err == nil {
			s.Mark, err = ParseMark(mark)
		}
		return s, err
	}
	word, ports, numbered := strings.Cut(text, "/")
	s := Service{Last: 65535}
	switch word {
	case "icmp":
		if numbered {
			return s, fmt.Errorf("icmp has no ports: a service is %s", ServiceForms)
		}
		return Echo, nil
	case "tcp":
		s.Protocol = TCP
	case "udp":
		s.Protocol = UDP
	default:
		return s, bad
	}
	if !numbered {
		return s, nil
	}
	low, high, isRange := cutRange(ports)
	if !isRange {
		high = low
	}
	first, err1 := strconv.ParseUint(low, 10, 16)
	last, err2 := strconv.ParseUint(high, 10, 16)
	if err1 != nil || err2 != nil || first > last || first == 0 {
		return s, fmt.Errorf("a port is a number from 1 to 65535, the lower one of a range first: %s", bad)
	}
	s.First, s.Last = uint16(first), uint16(last)
	return s, nil
}

func (s Service) String() string {
	if mark := s.Mark; mark != 0 {
		s.Mark = 0
		return s.String() + " marked " + mark.String()
	}
	switch {
	case s.Protocol == ICMP || s.Protocol == AnyProtocol || s.First == 0 && s.Last == 65535:
		return s.Protocol.String()
	case s.First == s.Last:
		return fmt.Sprintf("%s/%d", s.Protocol, s.First)
	}
	return fmt.Sprintf("%s/%d..%d", s.Protocol, s.First, s.Last)
}

// Covers tells whether everything that is the other service is this one too.
func (s Service) Covers(o Service) bool {
	if s.Mark != 0 && s.Mark.CodePoint() != o.Mark.CodePoint() {
		return false
	}
	return s.Protocol == AnyProtocol || s.Protocol == o.Protocol && (s.Protocol == ICMP || s.First <= o.First && o.Last <= s.Last)
}
