package derive

import "ropeswing/core/model"

// waiting is a device to be looked at, the nearest first.
type waiting struct {
	cost   int32
	tie    int64
	device model.DeviceID
}

func (a waiting) before(b waiting) bool {
	if a.cost != b.cost {
		return a.cost < b.cost
	}
	if a.tie != b.tie {
		return a.tie < b.tie
	}
	return a.device < b.device
}

// queue is a heap of devices to be looked at.
type queue []waiting

func (q queue) Len() int { return len(q) }

func (q *queue) push(x waiting) {
	h := append(*q, x)
	for i := len(h) - 1; i > 0; {
		up := (i - 1) / 2
		if !h[i].before(h[up]) {
			break
		}
		h[i], h[up] = h[up], h[i]
		i = up
	}
	*q = h
}

func (q *queue) pop() waiting {
	h := *q
	top, last := h[0], len(h)-1
	h[0] = h[last]
	h = h[:last]
	for i := 0; ; {
		child := 2*i + 1
		if child >= last {
			break
		}
		if child+1 < last && h[child+1].before(h[child]) {
			child++
		}
		if !h[child].before(h[i]) {
			break
		}
		h[i], h[child] = h[child], h[i]
		i = child
	}
	*q = h
	return top
}
