package compare

import (
	"slices"

	"ropeswing/core/model"
)

// noList is what a plan says of how a device behaves, and no list of a device tells.
var noList = []What{
	OfPermit, OfTranslation, OfWatch, OfPrefer, OfVirtual, OfPriority, OfBorrow, OfTable, OfLine, OfClock, OfTag, OfAnswers,
	OfRelay, OfAdvertises, OfParent, OfForwards, OfManage, OfBeyond, OfKind, OfCable, // what a device is, which is not told each time
}

// untold notes what the plan says of devices that were observed, and was not compared.
func (c *comparer) untold() {
	unseen := map[string]bool{}
	for _, name := range c.NotKnown {
		unseen[name] = true
	}
	says := map[What]bool{}
	for d := range c.spec.Devices {
		x := &c.spec.Devices[d]
		if unseen[x.Name] {
			continue
		}
		if x.Kind != model.World {
			says[OfPermit] = says[OfPermit] || len(x.Permits)+len(x.OwnPermits) > 0 || x.Otherwise != model.Pass
			says[OfTranslation] = says[OfTranslation] || len(x.Translates) > 0
			says[OfAnswers] = says[OfAnswers] || len(x.Answers) > 0
		}
		first, last := c.spec.StaticsOf(model.DeviceID(d))
		says[OfWatch] = says[OfWatch] || slices.ContainsFunc(c.spec.Statics[first:last], func(s model.Static) bool { return s.Watch.IsValid() })
		for _, id := range c.spec.InterfacesOf(model.DeviceID(d)) {
			i := &c.spec.Interfaces[id]
			for _, a := range i.Addresses {
				says[OfPrefer] = says[OfPrefer] || a.Preferred
				says[OfVirtual] = says[OfVirtual] || a.Virtual
			}
			says[OfBorrow] = says[OfBorrow] || i.Borrow != model.None
			says[OfTable] = says[OfTable] || i.Table != ""
			says[OfLine] = says[OfLine] || i.Serial
			says[OfClock] = says[OfClock] || i.Clocks
			says[OfRelay] = says[OfRelay] || len(i.Relay) > 0
			says[OfAdvertises] = says[OfAdvertises] || i.Advertises
			says[OfTag] = says[OfTag] || i.Tag != 0
		}
	}
	says[OfPriority] = says[OfVirtual]
	says[OfCable] = len(c.cabled) < len(c.spec.Cables)
	for _, w := range noList {
		if says[w] {
			c.Untold = append(c.Untold, w)
		}
	}
}
