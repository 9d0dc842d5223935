package compare

import "ropeswing/core/model"

// How is how a key of the plan is compared between two plans: by what differs then, or
// why it need not be. State is what of a state shows it too; "" where no list of a
// device tells of it.
type How struct {
	Whats   []What
	Because string
	State   []What
}

func by(all ...What) How              { return How{Whats: all} }
func need(because string) How         { return How{Because: because} }
func (h How) inState(all ...What) How { h.State = all; return h }

// HowCompared is how each key of the plan is compared, by the kind of map it stands in.
var HowCompared = map[string]map[string]How{
	"plan": {
		"ropeswing": need("the version of the format, of which there is one"), "plan": need("a name for readers"), "include": need(
			"where it is written does not matter"),
		"operator": by(OfOperator), "settings": by(OfSetting), "wants": by(OfWants), "groups": by(OfMeaning), "must": by(OfRequirement),
		"accept": need(ofTheTeam),
		"access": need(howAsked), "known-hosts": need(howAsked),
		"name-servers": by(OfNames), "time-servers": by(OfTimes), "log-servers": by(OfLogs),
		"vlans": by(OfVLANNumbers), "blocks": by(OfBlock), "segments": by(OfSegment), "devices": by(OfDevice), "cables": by(OfCable),
	},
	"accept": {"finding": need(ofTheTeam), "of": need(ofTheTeam), "because": need(ofTheTeam), "until": need(ofTheTeam)},
	"access": {"for": need(howAsked), "methods": need(howAsked)},
	"method": {
		"by": need(howAsked), "at": need(howAsked), "version": need(howAsked), "user": need(howAsked), "community": need(howAsked),
		"auth": need(howAsked), "privacy": need(howAsked),
		"auth-by": need(howAsked), "privacy-by": need(howAsked), "password": need(howAsked), "key": need(howAsked), "gear": need(howAsked),
	},
	"secret": {"file": need(howAsked), "env": need(howAsked), "ask": need(howAsked)},
	"settings": {
		"resolve-through-default": by(OfSetting), "vlan-interface-needs-port": by(OfSetting), "error-source": by(OfSetting),
		"answers-without-link": by(OfSetting), "probes-by-table": by(OfSetting), "first-source": by(OfSetting), "spanning-tree": by(OfSetting),
		"tree-root":   by(OfSetting),
		"ports-start": by(OfAdmin).inState(OfAdmin), "default-vlan": by(OfVLAN).inState(OfVLAN),
	},
	"wants": {"reach": by(OfWants), "world": by(OfWants), "carriers": by(OfWants), "protect": by(OfWants), "stretch": by(OfWants),
		"links": by(OfWants), "summarise": by(OfWants), "leave-out": by(OfWants)},
	"block": {
		"prefix": by(OfBlock), "from": by(OfFrom), "length": by(OfNeed), "grow": by(OfNeed), "alike": by(OfLayout),
		"subnet-number": by(OfLayout), "keep": by(OfKept), "note": need(aRemark),
		"name-servers": by(OfNames), "time-servers": by(OfTimes), "log-servers": by(OfLogs),
	},
	"segment": {
		"vlan": by(OfVLAN, OfTag).inState(OfVLAN), "prefix": by(OfSegment,
			OfAddress).inState(OfAddress), "hosts": by(OfNeed), "grow": by(OfNeed), "point-to-point": by(OfNeed), "length": by(OfNeed),
		"from":       by(OfFrom),
		"identifier": by(OfIdentifier), "leases": by(OfLeases), "gateway": by(OfGateway, OfNextHop).inState(OfNextHop), "note": need(aRemark),
	},
	"lease": {"range": by(OfLeases), "by": by(OfLeases), "gateway": by(OfLeases)},
	"device": {
		"is": by(OfKind), "at": by(OfCable), "segment": by(OfAddress).inState(OfAddress), "address": by(OfAddress).inState(OfAddress),
		"gateway": by(OfNextHop, OfRoute).inState(OfNextHop), "loopback": by(OfAddress).inState(OfAddress), "from": by(OfFrom),
		"manage": by(OfManage), "answers": by(OfAnswers), "expect": need(howAsked),
		"name-servers": by(OfNames), "time-servers": by(OfTimes), "log-servers": by(OfLogs),
		"tables": by(OfRoute, OfNextHop).inState(OfNextHop), "forwards": by(OfForwards), "beyond": by(OfBeyond),
		"interfaces": by(OfInterface).inState(OfInterface), "routes": by(OfRoute).inState(OfRoute),
		"permits": by(OfPermit), "own-permits": by(OfPermit), "otherwise": by(OfPermit), "keeps-state": by(OfPermit),
		"shares-state": by(OfPermit),
		"translates":   by(OfTranslation), "note": need(aRemark),
	},
	"interface": {
		"segment": by(OfAddress).inState(OfAddress), "vlan": by(OfTag), "access": by(OfVLAN).inState(OfVLAN),
		"tagged": by(OfVLAN).inState(OfVLAN), "untagged": by(OfVLAN).inState(OfVLAN),
		"address": by(OfAddress).inState(OfAddress), "secondary": by(OfAddress, OfOrder).inState(OfAddress,
			OfOrder), "link-local": by(OfLinkLocal, OfAddress).inState(OfAddress), "mac": by(OfMAC).inState(OfMAC), "prefer": by(OfPrefer),
		"members": by(OfMembers).inState(OfMembers), "mtu": by(OfMTU).inState(OfMTU), "bandwidth": by(OfBandwidth).inState(OfBandwidth), "duplex": by(OfDuplex).inState(OfDuplex),
		"admin": by(OfAdmin).inState(OfAdmin), "note": by(OfNote).inState(OfNote),
	},
	"route": {
		"next-hop": by(OfNextHop).inState(OfNextHop), "out": by(OfNextHop).inState(OfNextHop), "distance": by(OfDistance).inState(OfDistance),
		"metric": by(OfMetric).inState(OfMetric), "watch": by(OfWatch), "watch-from": by(OfWatch), "discard": by(OfNextHop).inState(OfNextHop),
	},
	"permit": {"permit": by(OfPermit), "in": by(OfPermit), "out": by(OfPermit), "pending": by(OfPermit), "note": need(aRemark)},
	"cable":  {"between": by(OfCable), "fault": by(OfCable), "cost": by(OfCable)},
}

// Keys of an interface that have one value are compared by that.
func init() {
	for _, k := range model.InterfaceKeys {
		if _, said := HowCompared["interface"][k.Name]; !said {
			HowCompared["interface"][k.Name] = by(What(k.Name))
		}
	}
}

const (
	aRemark   = "a remark for the reader"
	ofTheTeam = "what the team lives with, which no device is told"
	howAsked  = "how this program asks and tells devices, of which none is told"
)
