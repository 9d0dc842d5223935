package verify

import (
	"ropeswing/core/model"
	"ropeswing/core/source"
)

// placeOf is where a change is to be made; not known where nothing of the kind is written.
func placeOf(spec *model.Spec, c model.Change) source.Place {
	of := func(id model.InterfaceID) source.Place { return spec.Interfaces[id].Place }
	switch c := c.(type) {
	case model.SetNextHop:
		return spec.Statics[c.Static].Place
	case model.SetDestination:
		return spec.Statics[c.Static].Place
	case model.DropWatch:
		return spec.Statics[c.Static].Place
	case model.MoveAddress:
		for _, a := range spec.Interfaces[c.Interface].Addresses {
			if a.Prefix == c.Old && a.Place.Known() {
				return a.Place
			}
		}
		return of(c.Interface)
	case model.BringUp:
		return of(c.Interface)
	case model.SetKey:
		return of(c.Interface)
	case model.SetLine:
		return of(c.Interface)
	case model.SetAccess:
		return of(c.Port)
	case model.SetUntagged:
		return of(c.Port)
	case model.AddTagged:
		return of(c.Port)
	case model.SetTagged:
		return of(c.Port)
	case model.PutOn:
		return of(c.Interface)
	case model.SetBeyond:
		return spec.Devices[c.Device].Translates[c.Translation].Place
	case model.PutInForce:
		return spec.Devices[c.Device].Permits[c.Permit].Place
	case model.WidenService:
		return spec.Devices[c.Device].Permits[c.Permit].Place
	case model.DropPermit:
		if c.Own {
			return spec.Devices[c.Device].OwnPermits[c.Permit].Place
		}
		return spec.Devices[c.Device].Permits[c.Permit].Place
	case model.Together:
		return placeOf(spec, c[0])
	}
	if d := c.On(spec); d != model.None {
		return spec.Devices[d].Place
	}
	return source.Place{}
}

// line is one line of a file.
type line struct {
	file *source.File
	n    int
}

// lineOf is the line of a place; zero where that is not known.
func lineOf(p source.Place) line {
	if !p.Known() {
		return line{}
	}
	n, _ := p.Position()
	return line{p.File, n}
}
