package compare

import (
	"slices"

	"ropeswing/core/model"
)

// noList is what a plan says of how a device behaves, and no list of a device tells.
var noList = []What{
	OfPermit, OfTranslation, OfWatch, OfPrefer, OfVirtual, OfPriority, OfBorrow, OfTable, OfLine, OfTag, OfParent, OfForwards, OfManage, OfAnswers, OfBeyond, OfKind,
}

// ofNature is what of that is plain from what a device is, and left out of what is told.
var ofNature = []What{OfForwards, OfManage, OfBeyond, OfKind, OfParent}

// untold notes what the plan says of devices that were observed, and was not compared.
func (c *comparer) untold() {
	says := map[What]bool{}
	for _, f := range factsOf(c.spec) {
		if f.device != "" && f.value != "" && !slices.Contains(c.NotKnown, f.device) {
			says[f.what] = true
		}
	}
	for d := range c.spec.Devices {
		x := &c.spec.Devices[d]
		if x.Kind == model.World || slices.Contains(c.NotKnown, x.Name) {
			continue
		}
		says[OfPermit] = says[OfPermit] || len(x.Permits)+len(x.OwnPermits) > 0 || x.Otherwise != model.Pass
		says[OfTranslation] = says[OfTranslation] || len(x.Translates) > 0
	}
	for _, w := range noList {
		if says[w] && !slices.Contains(ofNature, w) {
			c.Untold = append(c.Untold, w)
		}
	}
}
