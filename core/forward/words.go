package forward

import (
	"cmp"
	"fmt"
	"net/netip"
	"path"
	"slices"
	"strings"

	"ropeswing/core/finding"
	"ropeswing/core/model"
	"ropeswing/core/policy"
	"ropeswing/core/routing"
	"ropeswing/core/source"
)

// Words is the failure as one sentence without its full stop, and what was passed
// over before. The network is the one it was found in.
func (f Failure) Words(net *Network) string { return f.words(net, nil) }

// words is Words, the monitors in told being told of already.
func (f Failure) words(net *Network, told []routing.Monitor) string {
	text := f.sentence(net, told)
	if b := f.Before; b != nil {
		text += fmt.Sprintf("; before that %s could not use its route to %s: %s", net.Spec.Devices[b.Device].Name, b.Prefix,
			net.because(b.Route, told))
	}
	return text
}

// Brief is of what many packets meet alike the sentence without this one's addresses;
// else it is Words.
func (f Failure) Brief(net *Network) string {
	if f.Code == ByPermit {
		return fmt.Sprintf("%s %s %s: %s", net.Spec.Devices[f.Device].Name, f.verb(), f.packet(), JudgedBy(net.Spec, f.Device, f.Judged))
	}
	return f.Words(net)
}

func (f Failure) sentence(net *Network, told []routing.Monitor) string {
	spec := net.Spec
	device := spec.Devices[f.Device].Name
	switch f.Code {
	case NoSource:
		return fmt.Sprintf("%s has no %s address", device, FamilyOf(f.To))
	case IsDown:
		return fmt.Sprintf("%s is down: %s", spec.Label(f.Interface), net.State.Why(f.Interface))
	case HolderIsDown:
		return fmt.Sprintf("%s does not answer: %s is down: %s", f.asked(net), spec.Label(f.Interface), net.State.Why(f.Interface))
	case AskedBroadcast:
		asked, what := f.To.String(), "the broadcast address"
		if f.IsHop {
			asked = f.asked(net)
		}
		for _, own := range spec.Interfaces[f.Interface].Addresses {
			if a := cmp.Or(f.Address, f.To); own.Masked().Addr() == a {
				what = "the address of the subnet"
			}
		}
		return fmt.Sprintf("%s is %s of %s, not a machine's", asked, what, LinkName(spec, f.Interface))
	case Discards:
		text := fmt.Sprintf("%s discards what it has for %s", device, f.Prefix)
		if f.Route.Code != routing.NoCause {
			text += ": " + net.because(f.Route, told)
		}
		return text
	case RouteUnusable:
		return fmt.Sprintf("%s has no usable route to %s: for %s, %s", device, f.To, routeWord(f.Prefix), net.because(f.Route, told))
	case WithoutGateway:
		return fmt.Sprintf("%s has no gateway for %s", device, f.To)
	case WithoutRoute:
		return fmt.Sprintf("%s has no route to %s", device, f.To)
	case DoesNotForward:
		if f.Other == f.Device {
			return fmt.Sprintf("%s is a %s and does not forward", device, spec.Devices[f.Device].Kind)
		}
		return fmt.Sprintf("%s hands it to %s, a %s, which does not forward", spec.Devices[f.Other].Name, device, spec.Devices[f.Device].Kind)
	case OwnNextHop:
		return fmt.Sprintf("%s is its own address", f.asked(net))
	case StandsBeyond:
		return fmt.Sprintf("%s stands for another address only for what comes in by %s (%s)", f.Address, spec.Label(f.Translation.Beyond),
			Sentence(f.Translation.Text, f.Translation.Place))
	case StandsForMany:
		return fmt.Sprintf("%s is what others send from beyond %s (%s); nothing that begins there gets in by it", f.Address,
			spec.Label(f.Translation.Beyond), Sentence(f.Translation.Text, f.Translation.Place))
	case HeldElsewhere:
		return fmt.Sprintf("%s does not answer on %s: %s, which has it, is not on that wire", f.asked(net), LinkName(spec, f.Out),
			spec.Label(f.Interface))
	case HeldByNobody:
		return f.heldByNobody(net)
	case DoesNotFit:
		why := "it may not be fragmented"
		if !f.Whole {
			why = "IPv6 routers never fragment, and its error does not get back to the sender"
			if f.Unsure {
				why = "IPv6 routers never fragment, and its error gets back to the sender by some paths only"
			}
		}
		return fmt.Sprintf("%s cannot send its %d bytes out of %s, which takes %d at most: %s", device, f.Size, spec.Interfaces[f.Out].Name,
			f.MTU, why)
	case FarEndTakesLess:
		return fmt.Sprintf("%s drops it silently: it has %d bytes, and that interface takes %d at most", spec.Label(f.Interface), f.Size, f.MTU)
	case ByPermit:
		text := fmt.Sprintf("%s %s %s from %s to %s: %s", device, f.verb(), f.packet(), f.Header.Source, f.To,
			JudgedBy(spec, f.Device, f.Judged))
		if f.Pending != nil {
			text += fmt.Sprintf("; %s, would let it pass, and is pending", Sentence(f.Pending.Text, f.Pending.Place))
		}
		return text
	case NoneLeftToTake:
		return fmt.Sprintf("%s has no address left for %s (%s)", device, f.Header.Source, Sentence(f.Translation.Text, f.Translation.Place))
	case GotElsewhere:
		return fmt.Sprintf("it gets to %s, which did not ask", device)
	case AnotherHas:
		return fmt.Sprintf("%s has %s too, and it is there that it arrives", device, f.To)
	case OnlyOnLink:
		return fmt.Sprintf("%s has no address to send from but %s, a link-local one, and %s passes that on to no other link",
			spec.Devices[f.Cause].Name, f.Header.Source, device)
	case CameFromElsewhere:
		return fmt.Sprintf("it comes from %s, not from %s, which was asked: what translated the request does not see the reply",
			f.Header.Source, f.Address)
	case GoesRound:
		var names []string
		for _, d := range f.Loop {
			names = append(names, spec.Devices[d].Name)
		}
		return fmt.Sprintf("its TTL runs out in a loop between %s", And(names))
	case DoesNotServe:
		text := fmt.Sprintf("%s does not answer %s; it answers %s", device, serviceWord(f.Service), And(spec.Devices[f.Device].Answers))
		if f.Translation != nil {
			inside, _ := f.Translation.Ported(f.Service)
			text = fmt.Sprintf("%s stands for %s at %s only for what comes in by %s (%s); from elsewhere ask it there", serviceWord(f.Service),
				serviceWord(inside), f.Translation.Host(), spec.Label(f.Translation.Beyond), Sentence(f.Translation.Text, f.Translation.Place))
		}
		return text
	case RanOut:
		return fmt.Sprintf("its TTL runs out at %s", device)
	}
	return ""
}

// serviceWord is a service as `answers` calls it, where it does.
func serviceWord(s model.Service) string {
	for _, word := range []string{"ping", "ssh", "https", "snmp", "netconf"} {
		if model.ServiceOf(word) == s {
			return word
		}
	}
	return s.String()
}

// asked is what was asked for on a link: the target, or the next hop of a device.
func (f Failure) asked(net *Network) string {
	if f.IsHop {
		return fmt.Sprintf("the next hop %s of %s", f.Address, net.Spec.Devices[f.Device].Name)
	}
	return f.Address.String()
}

// heldByNobody names the address in use on the segment that is nearest to the one
// nobody has, for it is most likely the one that was meant.
func (f Failure) heldByNobody(net *Network) string {
	text := fmt.Sprintf("nobody on %s has %s", LinkName(net.Spec, f.Out), f.asked(net))
	segment := net.Spec.Interfaces[f.Out].Segment
	if f.IsHop || segment == model.None {
		return text
	}
	var addresses []string
	holder := map[string]model.DeviceID{}
	for id := range net.Spec.Interfaces {
		if i := &net.Spec.Interfaces[id]; i.Segment == segment && model.InterfaceID(id) != f.Out {
			for _, a := range i.Addresses {
				addresses = append(addresses, a.Addr().String())
				holder[a.Addr().String()] = i.Device
			}
		}
	}
	if near, ok := finding.Nearest(f.Address.String(), addresses); ok {
		text += fmt.Sprintf("; %s has %s", net.Spec.Devices[holder[near]].Name, near)
	}
	return text
}

func (f Failure) verb() string {
	if f.Judged.Ruling == model.Refuse {
		return "refuses"
	}
	return "drops"
}

// packet is what was judged.
func (f Failure) packet() string {
	switch f.Kind {
	case policy.Reply:
		return "the reply over " + f.Service.String()
	case policy.Error:
		return "the error"
	}
	return f.Service.String()
}

// because says why a route is not usable, or why it discards; empty where there is no
// cause. Of monitors that were told of nothing more is said: two may each hear nothing
// for the other.
func (net *Network) because(c routing.Cause, told []routing.Monitor) string {
	return c.Words(net.State, func(m routing.Monitor) string {
		s, ok := net.Silence(m)
		if !ok || slices.Contains(told, m) {
			return "what it watches does not answer"
		}
		return s.words(net, append(slices.Clip(told), m))
	})
}

// Why says why a route of a table is not usable, or why it discards; empty where it
// does as it says.
func (net *Network) Why(v routing.View, e routing.Entry) string {
	return net.because(v.Cause(e), nil)
}

// words says why a monitor hears nothing.
func (s Silence) words(net *Network, told []routing.Monitor) string {
	if s.Chases {
		return "what it watches answers only while the route is out of use"
	}
	text := fmt.Sprintf("what it watches, %s, does not answer", s.Monitor.Watch)
	if s.Monitor.From.IsValid() {
		text += " " + s.Monitor.From.String()
	}
	if s.Out != model.None {
		text += " out of " + net.Spec.Interfaces[s.Out].Name
	}
	if s.Failure != nil {
		text += ": " + s.Failure.words(net, told)
	}
	return text
}

// LinkName is what a link is called: its segment, or else the interface on it.
func LinkName(spec *model.Spec, id model.InterfaceID) string {
	if s := spec.Interfaces[id].Segment; s != model.None {
		return spec.Segments[s].Name
	}
	return spec.Label(id)
}

func routeWord(p netip.Prefix) string {
	if p.Bits() == 0 {
		return "the default route"
	}
	return p.String()
}

// FamilyOf is the word for an address's family.
func FamilyOf(a netip.Addr) string {
	if a.Is4() {
		return "IPv4"
	}
	return "IPv6"
}

// And joins names the way a sentence does.
func And(names []string) string {
	if len(names) < 2 {
		return strings.Join(names, "")
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1]
}

// Sentence quotes a sentence of the plan with where it stands.
func Sentence(text string, place source.Place) string {
	if !place.Known() {
		return "'" + text + "'"
	}
	line, _ := place.Position()
	return fmt.Sprintf("'%s', %s:%d", text, path.Base(place.File.Name), line)
}

// JudgedBy says by what a device decided about a packet: "permit 3: '…'".
func JudgedBy(spec *model.Spec, d model.DeviceID, j policy.Judgement) string {
	list, name := spec.Devices[d].Permits, "permit"
	if j.Own {
		list, name = spec.Devices[d].OwnPermits, "own permit"
	}
	switch j.By {
	case policy.ByOtherwise:
		return "none of its " + name + "s matches it, and the rest it " +
			[...]string{model.Pass: "passes", model.Drop: "drops", model.Refuse: "refuses"}[j.Ruling]
	case policy.ByState:
		return "it belongs to what passed before"
	case policy.ByNoState:
		return "it never saw the request that this belongs to"
	case policy.ByNothing:
		return "nothing is judged there"
	}
	p := &list[j.By]
	return fmt.Sprintf("its %s %d, %s", name, j.By+1, Sentence(p.Text, p.Place))
}
