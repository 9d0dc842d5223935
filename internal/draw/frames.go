package draw

import (
	"fmt"
	"slices"

	"ropeswing/core/model"
)

// frames are the sites of a picture: the devices of each, and what is between devices of one
// site only. A single site needs no frame.
func (p *plan) frames() []frame {
	if p.folded {
		return nil
	}
	boxSite := make([]model.BlockID, len(p.boxes))
	for i := range boxSite {
		boxSite[i] = model.None
	}
	isDevice := make([]bool, len(p.boxes))
	for d, i := range p.of {
		isDevice[i] = true
		if p.asked.Others == "" || p.isAsked(d) {
			boxSite[i] = p.sites[d]
		}
	}
	mixed := make([]bool, len(p.boxes))
	for _, w := range p.wires {
		a, b := w.ends[0], w.ends[1]
		if isDevice[b] {
			a, b = b, a
		}
		switch { // a is the device, b what is between
		case isDevice[b]:
		case boxSite[a] == model.None, boxSite[b] != model.None && boxSite[b] != boxSite[a]:
			mixed[b] = true
		default:
			boxSite[b] = boxSite[a]
		}
	}
	of := map[model.BlockID]*frame{}
	var order []model.BlockID
	for i, site := range boxSite {
		if site == model.None || mixed[i] {
			continue
		}
		if of[site] == nil {
			of[site] = p.frame(site)
			order = append(order, site)
		}
		of[site].boxes = append(of[site].boxes, i)
	}
	if len(order) < 2 && (p.asked.Others == "" || len(order) == 0) {
		return nil
	}
	slices.Sort(order)
	var all []frame
	for _, site := range order {
		all = append(all, *of[site])
	}
	return all
}

func (p *plan) frame(site model.BlockID) *frame {
	b := &p.spec.Blocks[site]
	f := &frame{rows: []row{{b.Name, Plain, true}}}
	for n, x := range b.Prefixes {
		if n == 2 && len(b.Prefixes) > 3 {
			f.rows = append(f.rows, row{fmt.Sprintf("and %d more", len(b.Prefixes)-n), Quiet, false})
			break
		}
		f.rows = append(f.rows, row{x.Masked().String(), Quiet, false})
	}
	return f
}
