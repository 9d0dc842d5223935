package draw

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"ropeswing/core/forward"
	"ropeswing/core/model"
	"ropeswing/core/prefix"
)

// mostDevices is how many devices a picture shows each by itself; beyond that by site.
const mostDevices = 60

// fold draws each site as one box, where there are too many devices for a picture that one can
// read. It tells what it did.
func (p *plan) fold() string {
	if len(p.of) <= mostDevices {
		return ""
	}
	frames := p.frames()
	if frames == nil {
		return fmt.Sprintf("%d devices: the plan has no blocks to fold them by", len(p.of))
	}
	count := len(p.of)
	at := make([]int, len(p.boxes)) // where each box is now; -1 in none of its own
	for i := range at {
		at[i] = -1
	}
	isDevice := map[int]bool{}
	for _, i := range p.of {
		isDevice[i] = true
	}
	var boxes []box
	for _, f := range frames {
		b := box{name: f.rows[0].text, rows: slices.Clone(f.rows), class: Site, round: 12}
		b.rows[0].class = Strong
		devices := 0
		for _, i := range f.boxes {
			at[i] = len(boxes)
			b.holds = append(append(b.holds, p.boxes[i].name), p.boxes[i].holds...)
			if isDevice[i] {
				devices++
			}
		}
		b.rows = append(b.rows, row{plural(devices, "device"), Quiet, false})
		boxes = append(boxes, b)
	}
	sites := len(boxes)
	for i, b := range p.boxes {
		if at[i] < 0 && isDevice[i] {
			at[i] = len(boxes)
			boxes = append(boxes, b)
		}
	}
	// What is between: once for each set of what it joins.
	joins := make([][]wire, len(p.boxes))
	for _, w := range p.wires {
		between := w.ends[1]
		if isDevice[between] {
			w.ends[0], w.ends[1], w.labels[0], w.labels[1] = w.ends[1], w.ends[0], w.labels[1], w.labels[0]
			between = w.ends[1]
		}
		if at[between] < 0 {
			joins[between] = append(joins[between], w)
		}
	}
	var wires []wire
	same := map[string]int{}
	held := map[int][]string{}
	for i := range p.boxes {
		if len(joins[i]) == 0 {
			continue
		}
		var ends []int
		for _, w := range joins[i] {
			if e := at[w.ends[0]]; !slices.Contains(ends, e) {
				ends = append(ends, e)
			}
		}
		slices.Sort(ends)
		key := fmt.Sprint(ends)
		between, known := same[key]
		if !known {
			between = len(boxes)
			same[key] = between
			boxes = append(boxes, p.boxes[i])
			for _, w := range joins[i] {
				w.ends = [2]int{at[w.ends[0]], between}
				if !slices.ContainsFunc(wires, func(o wire) bool { return o.ends == w.ends && o.class == w.class }) {
					if w.ends[0] < sites {
						w.labels = [2]string{}
					}
					wires = append(wires, w)
				}
			}
		}
		if held[between] = append(held[between], p.boxes[i].name); known {
			boxes[between].holds = append(boxes[between].holds, p.boxes[i].name)
			boxes[between].rows = []row{{plural(len(held[between]), "link"), Plain, true}, {some(held[between]), Quiet, false}}
			for _, w := range joins[i] {
				for k := range wires {
					if wires[k].ends == [2]int{at[w.ends[0]], between} {
						wires[k].class = worse(wires[k].class, w.class)
					}
				}
			}
		}
	}
	roots := map[int]bool{}
	for i := range p.roots {
		roots[at[i]] = true
	}
	p.boxes, p.wires, p.roots, p.folded = boxes, wires, roots, true
	return fmt.Sprintf("%d devices, folded into %s; name one to see what is in it", count, plural(sites, "site"))
}

// Boxes is how many boxes a picture of all routers and subnets has, folded by site where that is
// done.
func Boxes(net *forward.Network) int {
	t := newThree(net, Asked{}, nil)
	t.fold()
	return len(t.boxes)
}

// worse is which of two classes leaps to the eye.
func worse(a, b Class) Class {
	rank := map[Class]int{Bad: 3, Good: 2, Down: 1}
	if cmp.Compare(rank[b], rank[a]) > 0 {
		return b
	}
	return a
}

func plural(n int, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return fmt.Sprintf("%d %ss", n, noun)
}

// only leaves of a picture what concerns some devices: them, what is between them and others, and
// those others.
func (p *plan) only(devices []model.DeviceID) {
	if devices == nil {
		return
	}
	keep := map[int]bool{}
	for _, d := range devices {
		if i, ok := p.of[d]; ok {
			keep[i] = true
		}
	}
	for range 2 { // what is joined with them, and the others joined with that
		now := maps.Clone(keep)
		for _, w := range p.wires {
			a, b := w.ends[0], w.ends[1]
			if now[a] || now[b] {
				keep[a], keep[b] = true, true
			}
		}
	}
	p.leave(keep)
}

func (p *plan) isDevice(box int) bool {
	for _, i := range p.of {
		if i == box {
			return true
		}
	}
	return false
}

// leave takes all boxes out but some.
func (p *plan) leave(keep map[int]bool) {
	at := make([]int, len(p.boxes))
	var boxes []box
	for i, b := range p.boxes {
		if at[i] = -1; keep[i] {
			at[i] = len(boxes)
			boxes = append(boxes, b)
		}
	}
	var wires []wire
	for _, w := range p.wires {
		if at[w.ends[0]] >= 0 && at[w.ends[1]] >= 0 {
			w.ends = [2]int{at[w.ends[0]], at[w.ends[1]]}
			wires = append(wires, w)
		}
	}
	roots := map[int]bool{}
	for i := range p.roots {
		if at[i] >= 0 {
			roots[at[i]] = true
		}
	}
	for d, i := range p.of {
		if p.of[d] = at[i]; at[i] < 0 {
			delete(p.of, d)
		}
	}
	p.boxes, p.wires, p.roots = boxes, wires, roots
}

// Asked is what a picture is to show, and what is written above it.
type Asked struct {
	Title, About string
	Devices      []model.DeviceID // only what concerns these; nil for all
	Families     prefix.Only
	Whole        bool             // each device by itself, however many there are
	Keep         []model.DeviceID // that are shown though the path does not go by them, so that two paths have one picture
	Remedies     []string         // of a path that fails: what was tried and works
	Others       string           // what stands in place of other devices, of which then nothing is told; "" tells of them too
}
