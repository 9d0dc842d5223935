package rehearse

import (
	"net/netip"
	"slices"

	"github.com/google/nftables"
	"github.com/google/nftables/binaryutil"
	"github.com/google/nftables/expr"
	"golang.org/x/sys/unix"

	"ropeswing/core/model"
	"ropeswing/core/policy"
	"ropeswing/core/prefix"
)

// judge puts the permits and translations of the device in force, in place of those that are,
// by nftables' netlink protocol.
func (d *device) judge() error {
	spec := d.lab.now.Load().Spec
	pol := policy.New(spec)
	if !pol.Touches(d.id) && !d.judged {
		return nil
	}
	var c *nftables.Conn
	if err := d.space.inside(func() (err error) {
		c, err = nftables.New(nftables.AsLasting())
		return err
	}); err != nil {
		return err
	}
	defer func() { _ = c.CloseLasting() }()
	j := &judge{device: d, policy: pol, conn: c, table: c.AddTable(&nftables.Table{Family: nftables.TableFamilyINet, Name: "permits"})}
	c.DelTable(j.table)
	j.table = c.AddTable(j.table)
	d.judged = true
	if pol.Touches(d.id) {
		j.translations()
		j.permits()
	}
	if err := c.Flush(); err != nil {
		return err
	}
	return d.space.inside(func() error {
		return set([][2]string{{"netfilter/nf_conntrack_tcp_loose", "0"}}, false) // what is remembered began with a request
	})
}

// judge says the permits of one device in the kernel's terms.
type judge struct {
	*device
	policy *policy.Policy
	conn   *nftables.Conn
	table  *nftables.Table
	chain  *nftables.Chain
}

// terms is what a packet has to be, and what becomes of it.
type terms []expr.Any

func (j *judge) begin(name string, kind nftables.ChainType, hook *nftables.ChainHook, priority *nftables.ChainPriority) {
	j.chain = j.conn.AddChain(&nftables.Chain{Name: name, Table: j.table, Type: kind, Hooknum: hook, Priority: priority})
}

func (j *judge) rule(parts ...terms) {
	j.conn.AddRule(&nftables.Rule{Table: j.table, Chain: j.chain, Exprs: slices.Concat(parts...)})
}

func is(key expr.MetaKey, value []byte) terms {
	return terms{&expr.Meta{Key: key, Register: 1}, &expr.Cmp{Op: expr.CmpOpEq, Register: 1, Data: value}}
}

func ofFamily(family prefix.Family) terms {
	if family == prefix.IPv4 {
		return is(expr.MetaKeyNFPROTO, []byte{unix.NFPROTO_IPV4})
	}
	return is(expr.MetaKeyNFPROTO, []byte{unix.NFPROTO_IPV6})
}

func (j *judge) by(key expr.MetaKey, id model.InterfaceID) terms {
	name := make([]byte, unix.IFNAMSIZ)
	copy(name, LinkName(j.lab.now.Load().Spec, id))
	return is(key, name)
}

func named(key expr.MetaKey, name string) terms {
	all := make([]byte, unix.IFNAMSIZ)
	copy(all, name)
	return is(key, all)
}

var accept, drop = terms{&expr.Verdict{Kind: expr.VerdictAccept}}, terms{&expr.Verdict{Kind: expr.VerdictDrop}}

func ruling(r model.Ruling) terms {
	switch r {
	case model.Pass:
		return accept
	case model.Drop:
		return drop
	}
	return terms{&expr.Reject{Type: unix.NFT_REJECT_ICMPX_UNREACH, Code: unix.NFT_REJECT_ICMPX_ADMIN_PROHIBITED}}
}

// address is that a source or destination is on a side; false where no address of the family
// is. The family is that of the packet.
func (j *judge) address(destination bool, s *model.Side, family prefix.Family) (terms, bool) {
	if s.Anyone || s.Itself {
		return nil, true
	}
	var all []netip.Prefix
	for _, p := range s.Prefixes {
		if prefix.FamilyOf(p.Addr()) == family {
			all = append(all, p)
		}
	}
	if len(all) == 0 {
		return nil, false
	}
	offset, length, kind := uint32(12), uint32(4), nftables.TypeIPAddr
	if family == prefix.IPv6 {
		offset, length, kind = 8, 16, nftables.TypeIP6Addr
	}
	if destination {
		offset += length
	}
	load := terms{&expr.Payload{DestRegister: 1, Base: expr.PayloadBaseNetworkHeader, Offset: offset, Len: length}}
	if len(all) == 1 {
		mask := ipNet(all[0]).Mask
		return append(load,
			&expr.Bitwise{SourceRegister: 1, DestRegister: 1, Len: length, Mask: mask, Xor: make([]byte, length)},
			&expr.Cmp{Op: expr.CmpOpEq, Register: 1, Data: all[0].Masked().Addr().AsSlice()}), true
	}
	set := &nftables.Set{Table: j.table, Anonymous: true, Constant: true, Interval: true, KeyType: kind}
	var elements []nftables.SetElement
	if first := all[0].Masked().Addr(); !first.IsUnspecified() { // an interval set begins with what is not in it
		elements = append(elements, nftables.SetElement{Key: make([]byte, length), IntervalEnd: true})
	}
	for i := 0; i < len(all); i++ {
		elements = append(elements, nftables.SetElement{Key: all[i].Masked().Addr().AsSlice()})
		for i+1 < len(all) && prefix.Top(all[i]).Next() == all[i+1].Masked().Addr() {
			i++ // one stretch
		}
		if end := prefix.Top(all[i]).Next(); end.IsValid() {
			elements = append(elements, nftables.SetElement{Key: end.AsSlice(), IntervalEnd: true})
		}
	}
	if err := j.conn.AddSet(set, elements); err != nil {
		return nil, false
	}
	return append(load, &expr.Lookup{SourceRegister: 1, SetName: set.Name, SetID: set.ID}), true
}

// remembers is that what is remembered of a packet's flow is one of some states.
func remembers(bits uint32) terms {
	return terms{
		&expr.Ct{Key: expr.CtKeySTATE, Register: 1},
		&expr.Bitwise{SourceRegister: 1, DestRegister: 1, Len: 4, Mask: binaryutil.NativeEndian.PutUint32(bits), Xor: make([]byte, 4)},
		&expr.Cmp{Op: expr.CmpOpNeq, Register: 1, Data: make([]byte, 4)},
	}
}

// transport is bytes of the transport header, from one value up to another.
func transport(offset uint32, first, last []byte) terms {
	load := &expr.Payload{DestRegister: 1, Base: expr.PayloadBaseTransportHeader, Offset: offset, Len: uint32(len(first))}
	if slices.Equal(first, last) {
		return terms{load, &expr.Cmp{Op: expr.CmpOpEq, Register: 1, Data: first}}
	}
	return terms{load, &expr.Range{Op: expr.CmpOpEq, Register: 1, FromData: first, ToData: last}}
}

func protocol(n byte) terms { return is(expr.MetaKeyL4PROTO, []byte{n}) }

func (j *judge) permits() {
	device := &j.lab.now.Load().Spec.Devices[j.id]
	j.begin("through", nftables.ChainTypeFilter, nftables.ChainHookForward, nftables.ChainPriorityFilter)
	j.remembered(device)
	for i := range device.Permits {
		j.permit(&device.Permits[i])
	}
	j.rule(ruling(device.Otherwise))
	for _, to := range []bool{true, false} {
		if !speaks(device.OwnPermits, to) {
			continue
		}
		if to {
			j.begin("to", nftables.ChainTypeFilter, nftables.ChainHookInput, nftables.ChainPriorityFilter)
			j.rule(named(expr.MetaKeyIIFNAME, "lo"), accept)
		} else {
			j.begin("from", nftables.ChainTypeFilter, nftables.ChainHookOutput, nftables.ChainPriorityFilter)
			j.rule(named(expr.MetaKeyOIFNAME, "lo"), accept)
		}
		for _, kind := range []byte{133, 134, 135, 136} { // neighbours are asked for beneath all permits
			j.rule(protocol(unix.IPPROTO_ICMPV6), transport(0, []byte{kind}, []byte{kind}), accept)
		}
		j.remembered(device)
		for i := range device.OwnPermits {
			if p := &device.OwnPermits[i]; p.To.Itself == to {
				j.permit(p)
			}
		}
		j.rule(ruling(device.Otherwise))
	}
}

// remembered lets pass what belongs to what passed before, where the device keeps that in mind.
func (j *judge) remembered(d *model.Device) {
	if d.KeepsState {
		j.rule(remembers(expr.CtStateBitESTABLISHED|expr.CtStateBitRELATED), accept)
		j.rule(remembers(expr.CtStateBitINVALID), drop)
	}
}

// speaks tells whether a permit in force covers what is for the device itself, or of what
// is from it.
func speaks(own []model.Permit, to bool) bool {
	return slices.ContainsFunc(own, func(p model.Permit) bool { return !p.Pending && p.To.Itself == to })
}

// permit is one sentence.
func (j *judge) permit(p *model.Permit) {
	if p.Pending {
		return
	}
	ins, outs := []terms{nil}, []terms{nil}
	if len(p.In) > 0 {
		ins = nil
	}
	if len(p.Out) > 0 {
		outs = nil
	}
	for _, id := range p.In {
		ins = append(ins, j.by(expr.MetaKeyIIFNAME, id))
	}
	for _, id := range p.Out {
		outs = append(outs, j.by(expr.MetaKeyOIFNAME, id))
	}
	for _, family := range prefix.Families {
		for _, service := range services(p, family) {
			for _, in := range ins {
				for _, out := range outs {
					from, ok1 := j.address(false, &p.From, family)
					to, ok2 := j.address(true, &p.To, family)
					if ok1 && ok2 {
						j.rule(ofFamily(family), in, out, from, to, service, ruling(p.Ruling))
					}
				}
			}
		}
	}
}

// services are the packets of one family that a sentence covers, each of a rule.
func services(p *model.Permit, family prefix.Family) []terms {
	icmp, reply := byte(unix.IPPROTO_ICMP), byte(0)
	if family == prefix.IPv6 {
		icmp, reply = unix.IPPROTO_ICMPV6, 129
	}
	over := p.Over
	if len(over) == 0 && !p.Answers {
		return []terms{nil}
	}
	if len(over) == 0 {
		over = []model.Service{model.Echo, {Protocol: model.TCP, Last: 65535}, {Protocol: model.UDP, Last: 65535}}
	}
	var all []terms
	for _, s := range over {
		first, last := binaryutil.BigEndian.PutUint16(s.First), binaryutil.BigEndian.PutUint16(s.Last)
		switch {
		case s.Protocol == model.ICMP && p.Answers:
			all = append(all, slices.Concat(protocol(icmp), transport(0, []byte{reply}, []byte{reply})))
		case s.Protocol == model.ICMP:
			all = append(all, protocol(icmp))
		case s.Protocol == model.TCP && p.Answers:
			all = append(all, slices.Concat(protocol(unix.IPPROTO_TCP), transport(0, first, last), answering))
		case s.Protocol == model.TCP:
			all = append(all, slices.Concat(protocol(unix.IPPROTO_TCP), transport(2, first, last)))
		case s.Protocol == model.UDP && p.Answers: // a reply goes to one of the ports that requests come from
			all = append(all, slices.Concat(protocol(unix.IPPROTO_UDP), transport(0, first, last),
				transport(2, binaryutil.BigEndian.PutUint16(49152), binaryutil.BigEndian.PutUint16(65535))))
		case s.Protocol == model.UDP:
			all = append(all, slices.Concat(protocol(unix.IPPROTO_UDP), transport(2, first, last)))
		default:
			all = append(all, nil)
		}
		if n := len(all) - 1; s.Mark != 0 {
			all[n] = slices.Concat(marked(s.Mark, family), all[n])
		}
	}
	return all
}

// marked is that a packet has a code point, in the header of its family (RFC 2474 §3, RFC 8200 §7).
func marked(m model.Mark, family prefix.Family) terms {
	offset, mask, value := uint32(1), []byte{0xfc}, []byte{m.CodePoint() << 2}
	if family == prefix.IPv6 {
		offset, mask, value = 0, []byte{0x0f, 0xc0}, binaryutil.BigEndian.PutUint16(uint16(m.CodePoint())<<6)
	}
	return terms{
		&expr.Payload{DestRegister: 1, Base: expr.PayloadBaseNetworkHeader, Offset: offset, Len: uint32(len(mask))},
		&expr.Bitwise{SourceRegister: 1, DestRegister: 1, Len: uint32(len(mask)), Mask: mask, Xor: make([]byte, len(mask))},
		&expr.Cmp{Op: expr.CmpOpEq, Register: 1, Data: value},
	}
}

// answering is a TCP packet that acknowledges another (RFC 9293 §3.1): the first of a
// session does not.
var answering = terms{
	&expr.Payload{DestRegister: 1, Base: expr.PayloadBaseTransportHeader, Offset: 13, Len: 1},
	&expr.Bitwise{SourceRegister: 1, DestRegister: 1, Len: 1, Mask: []byte{0x14}, Xor: []byte{0}},
	&expr.Cmp{Op: expr.CmpOpNeq, Register: 1, Data: []byte{0}},
}

// translations are those of the device.
func (j *judge) translations() {
	spec := j.lab.now.Load().Spec
	all := spec.Devices[j.id].Translates
	if len(all) == 0 {
		return
	}
	j.begin("inward", nftables.ChainTypeNAT, nftables.ChainHookPrerouting, nftables.ChainPriorityNATDest)
	for i := range all {
		if t := &all[i]; t.Kind == model.OneToOne {
			inside, outside := t.Inside.Prefixes[0], t.Outside[0]
			j.rewrite(t, expr.MetaKeyIIFNAME, true, outside, inside)
		} else if t.Kind == model.Porting {
			j.porting(t)
		}
	}
	j.begin("outward", nftables.ChainTypeNAT, nftables.ChainHookPostrouting, nftables.ChainPriorityNATSource)
	for i := range all {
		switch t := &all[i]; t.Kind {
		case model.OneToOne:
			j.rewrite(t, expr.MetaKeyOIFNAME, false, t.Inside.Prefixes[0], t.Outside[0])
		case model.Sharing:
			to := t.First
			if t.ByInterface {
				to = policy.Shared(spec, t)
			}
			if from, ok := j.address(false, &t.Inside, prefix.FamilyIf(to.Is4())); ok && to.IsValid() {
				j.rule(ofFamily(prefix.FamilyOf(to)), j.by(expr.MetaKeyOIFNAME, t.Beyond), from, sourceTo(netip.PrefixFrom(to, to.BitLen())))
			}
		case model.Taking:
			j.taking(t)
		}
	}
}

// porting has ports that are asked for outside lead to those inside. The kernel would deal out a range of them as it likes:
// where they differ, each is a rule.
func (j *judge) porting(t *model.Translation) {
	at, number := j.policy.AskedAt(t), byte(unix.IPPROTO_TCP)
	if t.Asked.Protocol == model.UDP {
		number = unix.IPPROTO_UDP
	}
	if !at.IsValid() {
		return
	}
	family := prefix.FamilyOf(at)
	match, _ := j.address(true, &model.Side{Prefixes: []netip.Prefix{netip.PrefixFrom(at, at.BitLen())}}, family)
	begin := slices.Concat(ofFamily(family), j.by(expr.MetaKeyIIFNAME, t.Beyond), match, protocol(number))
	port := binaryutil.BigEndian.PutUint16
	to := terms{&expr.Immediate{Register: 1, Data: t.Host().AsSlice()}}
	nat := expr.NAT{Type: expr.NATTypeDestNAT, Family: unix.NFPROTO_IPV4, RegAddrMin: 1}
	if family == prefix.IPv6 {
		nat.Family = unix.NFPROTO_IPV6
	}
	if t.To == t.Asked {
		j.rule(begin, transport(2, port(t.Asked.First), port(t.Asked.Last)), to, terms{&nat})
		return
	}
	nat.RegProtoMin, nat.Specified = 2, true
	for n := range t.Asked.Last - t.Asked.First + 1 {
		asked := port(t.Asked.First + n)
		j.rule(begin, transport(2, asked, asked), to, terms{&expr.Immediate{Register: 2, Data: port(t.To.First + n)}, &nat})
	}
}

// rewrite is one prefix for another, address by address.
func (j *judge) rewrite(t *model.Translation, by expr.MetaKey, destination bool, from, to netip.Prefix) {
	family := prefix.FamilyOf(from.Addr())
	match, ok := j.address(destination, &model.Side{Prefixes: []netip.Prefix{from}}, family)
	if !ok {
		return
	}
	change := sourceTo(to)
	if destination {
		change = rewritten(expr.NATTypeDestNAT, to)
	}
	j.rule(ofFamily(family), j.by(by, t.Beyond), match, change)
}

// taking gives each of those inside an address of its own while there are any.
func (j *judge) taking(t *model.Translation) {
	spec := j.lab.now.Load().Spec
	family := prefix.FamilyOf(t.First)
	for id := range spec.Interfaces {
		for _, a := range spec.Interfaces[id].Addresses {
			if to, by, ok := j.policy.Outward(j.id, t.Beyond, a.Addr()); ok && by == t {
				from, _ := j.address(false, &model.Side{Prefixes: []netip.Prefix{netip.PrefixFrom(a.Addr(), a.Addr().BitLen())}}, family)
				j.rule(ofFamily(family), j.by(expr.MetaKeyOIFNAME, t.Beyond), from, sourceTo(netip.PrefixFrom(to, to.BitLen())))
			}
		}
	}
	if from, ok := j.address(false, &t.Inside, family); ok {
		j.rule(ofFamily(family), j.by(expr.MetaKeyOIFNAME, t.Beyond), from, drop) // none is left
	}
}

func sourceTo(to netip.Prefix) terms { return rewritten(expr.NATTypeSourceNAT, to) }

func rewritten(kind expr.NATType, to netip.Prefix) terms {
	family := uint32(unix.NFPROTO_IPV4)
	if to.Addr().Is6() {
		family = unix.NFPROTO_IPV6
	}
	if to.IsSingleIP() {
		return terms{&expr.Immediate{Register: 1, Data: to.Addr().AsSlice()}, &expr.NAT{Type: kind, Family: family, RegAddrMin: 1}}
	}
	return terms{
		&expr.Immediate{Register: 1, Data: to.Masked().Addr().AsSlice()}, &expr.Immediate{Register: 2, Data: prefix.Top(to).AsSlice()},
		&expr.NAT{Type: kind, Family: family, RegAddrMin: 1, RegAddrMax: 2, Prefix: true},
	}
}
