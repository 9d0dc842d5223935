package compare

import (
	"slices"

	"ropeswing/core/model"
)

// noList is what a plan says of how a device behaves, and no list of a device tells, beside the keys of an interface.
var noList = []What{
	OfPermit, OfTranslation, OfWatch, OfPrefer, OfAnswers, OfNames, OfTimes, OfLogs,
	OfForwards, OfManage, OfBeyond, OfKind, OfCable, // what a device is, which is not told each time
}

// untoldKeys are the keys of an interface that no list of a device tells of; what an interface is, is not told each time.
func untoldKeys() []model.InterfaceKey {
	return slices.DeleteFunc(slices.Clone(model.InterfaceKeys), func(k model.InterfaceKey) bool {
		return k.Name == "parent" || len(HowCompared["interface"][k.Name].State) > 0
	})
}

// untold notes what the plan says of devices that were observed, and was not compared.
func (c *comparer) untold() {
	unseen := map[string]bool{}
	for _, name := range c.NotKnown {
		unseen[name] = true
	}
	says, keys := map[What]bool{}, untoldKeys()
	for d := range c.spec.Devices {
		x := &c.spec.Devices[d]
		if unseen[x.Name] {
			continue
		}
		if x.Kind != model.World {
			says[OfPermit] = says[OfPermit] || len(x.Permits)+len(x.OwnPermits) > 0 || x.Otherwise != model.Pass
			says[OfTranslation] = says[OfTranslation] || len(x.Translates) > 0
			for _, k := range model.DeviceKeys {
				says[What(k.Name)] = says[What(k.Name)] || k.List && k.Says(x) != ""
			}
		}
		first, last := c.spec.StaticsOf(model.DeviceID(d))
		says[OfWatch] = says[OfWatch] || slices.ContainsFunc(c.spec.Statics[first:last], func(s model.Static) bool { return s.Watch.IsValid() })
		for _, id := range c.spec.InterfacesOf(model.DeviceID(d)) {
			i := &c.spec.Interfaces[id]
			for _, a := range i.Addresses {
				says[OfPrefer] = says[OfPrefer] || a.Preferred
			}
			for _, k := range keys {
				says[What(k.Name)] = says[What(k.Name)] || k.Says(c.spec, i) != "" && (k.Name != "priority" || says["virtual"])
			}
		}
	}
	says[OfCable] = len(c.cabled) < len(c.spec.Cables)
	for _, w := range noList {
		if says[w] {
			c.Untold = append(c.Untold, w)
		}
	}
	for _, k := range keys {
		if says[What(k.Name)] {
			c.Untold = append(c.Untold, What(k.Name))
		}
	}
}
