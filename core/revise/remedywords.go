package revise

import (
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"ropeswing/core/model"
	"ropeswing/core/plan"
)

// A remedy is said in a sentence. The same sentence is a change to try: whatever it may mean, made of what it names, is described,
// and the one whose description is the sentence is meant.

// remedied takes apart what a sentence names.
type remedied struct {
	reviser
	text      string
	devices   []model.DeviceID
	ports     []model.InterfaceID
	addresses []netip.Addr
	prefixes  []netip.Prefix
	vlans     []model.VLAN
	quoted    []string
}

var (
	quotes   = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`'([^']*)'`) })
	wasTried = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(` \(tried: [^()]*\)$`) })
)

// remedy reads a sentence of a remedy as a change; false where no remedy says so.
func (w reviser) remedy(text string) (model.Change, bool) {
	text = wasTried().ReplaceAllString(strings.Join(strings.Fields(text), " "), "")
	if c, ok := w.oneRemedy(text); ok {
		return c, true
	}
	if parts := strings.Split(text, ", and "); len(parts) > 1 {
		var all model.Together
		for _, p := range parts {
			c, ok := w.oneRemedy(p)
			if !ok {
				return nil, false
			}
			all = append(all, c)
		}
		return all, true
	}
	return nil, false
}

func (w reviser) oneRemedy(text string) (model.Change, bool) {
	r := &remedied{reviser: w, text: text}
	r.names()
	var short []model.Change // those that say more: what is there instead, or why
	for _, c := range slices.Concat(r.ofRoutes(), r.ofPorts(), r.ofPolicies()) {
		switch says := c.Describe(w.Spec); {
		case says == text:
			return c, true
		case strings.HasPrefix(says, text+", which ") || strings.HasPrefix(says, text+" instead of "):
			short = append(short, c)
		}
	}
	if len(short) == 1 {
		return short[0], true
	}
	return nil, false
}

// names finds what the sentence names.
func (r *remedied) names() {
	for _, q := range quotes().FindAllStringSubmatch(r.text, -1) {
		r.quoted = append(r.quoted, q[1])
	}
	for _, s := range r.Spec.Segments {
		if s.VLAN > 0 && strings.Contains(r.text, s.Name) {
			r.vlans = append(r.vlans, s.VLAN)
		}
	}
	for _, word := range strings.Fields(r.text) {
		word = strings.Trim(word, ",;()'[]")
		if v, err := strconv.Atoi(word); err == nil && v > 0 && v < 4095 {
			r.vlans = append(r.vlans, model.VLAN(v))
		}
		if p, err := netip.ParsePrefix(word); err == nil {
			r.prefixes = append(r.prefixes, p)
		}
		if a, err := netip.ParseAddr(word); err == nil {
			r.addresses = append(r.addresses, a)
		}
		if d, ok := r.Spec.DeviceNamed(strings.TrimSuffix(word, ":")); ok {
			r.devices = append(r.devices, d)
		}
		owner, port, _ := strings.Cut(strings.TrimSuffix(word, ":"), ":")
		if d, ok := r.Spec.DeviceNamed(owner); ok {
			if id, ok := r.Spec.InterfaceNamed(d, port); ok {
				r.ports = append(r.ports, id)
			}
		}
	}
}

func (r *remedied) ofRoutes() (all []model.Change) {
	for _, d := range r.devices {
		first, last := r.Spec.StaticsOf(d)
		for id := first; id < last; id++ {
			all = append(all, model.DropWatch{Static: model.StaticID(id)})
			for _, via := range r.addresses {
				all = append(all, model.SetNextHop{Static: model.StaticID(id), Via: via})
			}
			for _, to := range r.prefixes {
				all = append(all, model.SetDestination{Static: model.StaticID(id), To: to})
			}
		}
		for _, to := range r.prefixes {
			for _, via := range r.addresses {
				s := model.Static{Device: d, To: to, Via: via, Out: model.None, Distance: 1, Key: to.String()}
				if to.Bits() == 0 {
					s.Key = "default"
				}
				if !r.Spec.Devices[d].Forwards {
					s.Origin = model.HostGateway
				}
				if _, distance, ok := strings.Cut(r.text, ", distance: "); ok {
					n, _ := strconv.ParseUint(distance, 10, 8)
					s.Distance = uint8(max(1, n))
				}
				all = append(all, model.AddRoute{Static: s})
			}
		}
	}
	return all
}

func (r *remedied) ofPorts() (all []model.Change) {
	for _, d := range r.devices {
		all = append(all, model.LetForward{Device: d})
		for _, word := range plan.Services {
			all = append(all, model.LetAnswer{Device: d, Word: word})
		}
	}
	for _, id := range r.ports {
		all = append(all, model.BringUp{Interface: id}, model.TakeDown{Interface: id})
		for _, way := range [][2]bool{{true, false}, {false, false}, {true, true}} {
			all = append(all, model.SetLine{Interface: id, Serial: way[0], Clocks: way[1]})
		}
		for _, p := range r.prefixes {
			all = append(all, model.SetAddress{Interface: id, Address: p})
			for _, old := range r.prefixes {
				all = append(all, model.MoveAddress{Interface: id, Old: old, New: p})
			}
		}
		for _, v := range r.vlans {
			all = append(all, model.SetUntagged{Port: id, VLAN: v}, model.SetAccess{Port: id, VLAN: v}, model.AddTagged{Port: id, VLAN: v},
				model.PutOn{Interface: id, VLAN: v})
		}
		if v, ok := r.tagged(); ok {
			all = append(all, model.SetTagged{Port: id, VLANs: v})
		}
		for i := range model.InterfaceKeys {
			key := model.InterfaceKeys[i].Name
			if _, value, ok := strings.Cut(r.text, " the "+key+" "); ok {
				value, _, _ = strings.Cut(value, " instead of ")
				all = append(all, model.SetKey{Interface: id, Key: key, Value: value})
			}
		}
		for _, far := range r.ports {
			all = append(all, model.AddCable{Ends: [2]model.InterfaceID{id, far}})
		}
	}
	return all
}

// tagged are the VLANs that a sentence has behind 'tagged: '.
func (r *remedied) tagged() (all []model.VLAN, ok bool) {
	_, list, ok := strings.Cut(r.text, "tagged: [")
	if !ok {
		return nil, false
	}
	list, _, _ = strings.Cut(list, "]")
	for _, word := range strings.Split(list, ", ") {
		if s, known := r.Spec.SegmentNamed(word); known {
			all = append(all, r.Spec.Segments[s].VLAN)
		} else if v, err := strconv.Atoi(word); err == nil {
			all = append(all, model.VLAN(v))
		}
	}
	return all, true
}

// lastService is the one at the end of the first sentence that is quoted.
func (r *remedied) lastService() (model.Service, bool) {
	if len(r.quoted) == 0 {
		return model.Service{}, false
	}
	i := strings.LastIndex(r.quoted[0], " over ")
	if i < 0 {
		return model.Service{}, false
	}
	s, err := model.ParseService(r.quoted[0][i+len(" over "):])
	return s, err == nil
}

func (r *remedied) ofPolicies() (all []model.Change) {
	sentences := r.quoted
	if _, behind, ok := strings.Cut(r.text, ": "); ok {
		sentences = append(slices.Clip(sentences), behind)
	}
	for _, d := range r.devices {
		device := &r.Spec.Devices[d]
		for _, own := range []bool{false, true} {
			list := device.Permits
			if own {
				list = device.OwnPermits
			}
			for i := range list {
				all = append(all, model.DropPermit{Device: d, Permit: i, Own: own})
				if !own {
					if s, ok := r.lastService(); ok {
						all = append(all, model.WidenService{Device: d, Permit: i, By: s})
					}
					all = append(all, model.WidenService{Device: d, Permit: i}, model.PutInForce{Device: d, Permit: i})
				}
			}
			for _, sentence := range sentences {
				p, err := r.permit(d, sentence, own)
				if err != nil {
					continue
				}
				for before := range len(list) + 1 {
					all = append(all, model.AddPermit{Device: d, Before: before, Permit: p, Own: own})
				}
			}
		}
		for _, beyond := range r.Spec.InterfacesOf(d) {
			for n := range device.Translates {
				all = append(all, model.SetBeyond{Device: d, Translation: n, Beyond: beyond})
			}
			for _, sentence := range r.quoted {
				who, _, _ := strings.Cut(sentence, " shares ")
				if h, ok := r.Spec.DeviceNamed(who); ok {
					all = append(all, model.ShareAddress{Host: h, Beyond: beyond})
				}
				if b, ok := r.Spec.BlockNamed(who); ok {
					for _, p := range r.Spec.Blocks[b].Prefixes {
						all = append(all, model.ShareAddresses{Prefix: p.Prefix, Beyond: beyond})
					}
				}
				if p, err := netip.ParsePrefix(who); err == nil {
					all = append(all, model.ShareAddresses{Prefix: p, Beyond: beyond})
				}
			}
		}
	}
	return all
}
