package reach

// tree is how the paths of all nodes to one class hang on each other: from each node
// on, all whose packets come by it stand in a row.
type tree struct {
	order []int32 // nodes: each, then all that come by it
	at    []int32 // by node: where in order it stands
	count []int32 // by node: how many come by it, itself among them
}

// newTree makes the tree of the steps to a class; nil where one forks or loops.
func newTree(steps []onward) *tree {
	t := &tree{order: make([]int32, len(steps)), at: make([]int32, len(steps)), count: make([]int32, len(steps))}
	// From the outermost inwards, each adds its own to the node it goes to.
	comes := make([]int32, len(steps))
	for _, s := range steps {
		if s < lastStep {
			return nil
		}
		if s >= 0 {
			comes[s]++
		}
	}
	inwards := make([]int32, 0, len(steps))
	for n := range steps {
		t.count[n] = 1
		if comes[n] == 0 {
			inwards = append(inwards, int32(n))
		}
	}
	for i := 0; i < len(inwards); i++ {
		n := inwards[i]
		if to := steps[n]; to >= 0 {
			t.count[to] += t.count[n]
			if comes[to]--; comes[to] == 0 {
				inwards = append(inwards, int32(to))
			}
		}
	}
	if len(inwards) < len(steps) {
		return nil
	}
	// From the innermost outwards, each gives those that come by it their places.
	next, free := make([]int32, len(steps)), int32(0)
	for i := len(inwards) - 1; i >= 0; i-- {
		n := inwards[i]
		place := &free
		if to := steps[n]; to >= 0 {
			place = &next[to]
		}
		t.at[n], next[n] = *place, *place+1
		t.order[*place] = n
		*place += t.count[n]
	}
	return t
}

// by lists a node and all whose packets come by it.
func (t *tree) by(n int32) []int32 { return t.order[t.at[n] : t.at[n]+t.count[n]] }
