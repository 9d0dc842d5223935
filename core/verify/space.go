package verify

import (
	"net/netip"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// forSegments are the scopes whose addresses machines may have.
var forSegments = map[string]bool{
	"private use": true, "unique local": true, "documentation": true, "benchmarking": true,
	"shared between carrier and customer": true, "global unicast": true,
}

// space checks that every segment's subnets are of address space that may be
// used, and IPv6 ones of the usual length.
func (c *checker) space() {
	for _, s := range c.spec.Segments {
		for _, p := range s.Prefixes {
			c.subnetSpace(s.Name, p)
			if p.Addr().Is6() && p.Bits() != 64 && p.Bits() < 127 {
				c.report(finding.New(finding.LANNot64, p.Place, "%s has length %d, and an IPv6 segment has 64, or 127 between two routers",
					p.Prefix, p.Bits()).About(s.Name))
			}
		}
	}
}

func (c *checker) subnetSpace(segment string, p model.Prefix) {
	scope := prefix.ScopeOf(p.Addr())
	_, inBlock := c.spec.WidestBlock(p.Addr())
	switch {
	case !forSegments[scope.Use]:
		c.report(finding.New(finding.SpecialSpace, p.Place, "%s is for %s (%s), not for a segment", p.Prefix, scope.Use,
			scope.RFC).About(segment))
	case inBlock:
	case scope.Use == "global unicast":
		c.report(finding.New(finding.PublicSpace, p.Place, "%s is public, and in no block of the plan", p.Prefix).About(segment).
			Mend("use private addresses, or add a block if it is yours"))
	case len(c.spec.Blocks) > 0:
		c.report(finding.New(finding.PrefixOutsideBlocks, p.Place, "%s is in no block of the plan", p.Prefix).About(segment).
			Mend("use a subnet of a block, or add a block for it"))
	}
}

// networks finds devices on which two subnets overlap without being the same.
func (c *checker) networks() {
	for d := range c.spec.Devices {
		var seen []model.Address
		for _, id := range c.spec.InterfacesOf(model.DeviceID(d)) {
			for _, a := range c.spec.Interfaces[id].Addresses {
				if a.IsSingleIP() || a.Addr().IsLinkLocalUnicast() {
					continue
				}
				if other, ok := overlapping(seen, a.Prefix); ok {
					c.report(finding.New(finding.NetworksOverlap, a.Place, "the subnets of %s and %s overlap", other.Prefix, a.Prefix).
						About(c.spec.Label(id)).With(other.Place))
				}
				seen = append(seen, a)
			}
		}
	}
}

// overlapping finds an address among others whose subnet overlaps that of p
// and is another.
func overlapping(others []model.Address, p netip.Prefix) (model.Address, bool) {
	for _, o := range others {
		if o.Overlaps(p) && o.Masked() != p.Masked() {
			return o, true
		}
	}
	return model.Address{}, false
}
