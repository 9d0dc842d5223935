package compare

import (
	"slices"

	"ropeswing/core/model"
	"ropeswing/core/observed"
)

// toldKey is a key of an interface that lists of devices tell: how what was found is that of a plan, and the other way round.
type toldKey struct {
	what  What
	found func(*model.Interface, *observed.Interface)
	as    func(*observed.Interface, *model.Interface)
	every bool // a device that says nothing of it has not got it
}

var toldKeys = []toldKey{
	{OfMTU, func(x *model.Interface, o *observed.Interface) { x.MTU = o.MTU }, func(o *observed.Interface, x *model.Interface) { o.MTU = x.MTU },
		true},
	{OfMAC, func(x *model.Interface, o *observed.Interface) { x.MAC = o.MAC }, func(o *observed.Interface, x *model.Interface) { o.MAC = x.MAC },
		true},
	{OfBandwidth, func(x *model.Interface, o *observed.Interface) { x.Bandwidth = o.Speed },
		func(o *observed.Interface, x *model.Interface) { o.Speed = x.Bandwidth }, false},
	{OfDuplex, func(x *model.Interface, o *observed.Interface) { x.Duplex = o.Duplex },
		func(o *observed.Interface, x *model.Interface) { o.Duplex = x.Duplex }, true},
	{OfNote, func(x *model.Interface, o *observed.Interface) { x.Note = o.Description },
		func(o *observed.Interface, x *model.Interface) { o.Description = x.Note }, true},
}

func isTold(w What) bool {
	return slices.ContainsFunc(toldKeys, func(k toldKey) bool { return k.what == w })
}

// isEvery tells whether a device that says nothing of a key has not got it.
func isEvery(w What) bool {
	return slices.ContainsFunc(toldKeys, func(k toldKey) bool { return k.what == w && k.every })
}
