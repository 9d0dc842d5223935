package view

import (
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/forward"
)

// branches is in which order the steps of a walk are told, and which of several paths of
// equal cost each is on: "1", "2", and where one of them parts again "2.1". What all of
// them come to again is on none.
type branches struct {
	order []int
	of    []string // by node
}

func branchesOf(g *forward.Graph) branches {
	b := branches{inPathOrder(g), make([]string, len(g.Nodes))}
	labels := make([][]string, len(g.Nodes))
	if len(labels) > 0 {
		labels[0] = []string{""}
	}
	parts := map[string]int{} // by label: into how many it parts
	for _, n := range b.order {
		mine := joinedAgain(labels[n], parts)
		b.of[n] = strings.Join(mine, ", ")
		for i, e := range g.Nodes[n].Edges {
			for _, l := range mine {
				to := branchOf(l, i, len(g.Nodes[n].Edges))
				if len(g.Nodes[n].Edges) > 1 {
					parts[l] = len(g.Nodes[n].Edges)
				}
				if e.To >= 0 && !slices.Contains(labels[e.To], to) {
					labels[e.To] = append(labels[e.To], to)
				}
			}
		}
	}
	return b
}

// after is the labels of what leaves a node by one of its edges.
func (b branches) after(node, edge, of int) string {
	labels := strings.Split(b.of[node], ", ")
	for i, l := range labels {
		labels[i] = branchOf(l, edge, of)
	}
	return strings.Join(labels, ", ")
}

// branchOf is the label of what leaves a node by one of its edges.
func branchOf(label string, edge, of int) string {
	switch {
	case of < 2:
		return label
	case label == "":
		return fmt.Sprint(edge + 1)
	}
	return fmt.Sprintf("%s.%d", label, edge+1)
}

// joinedAgain takes together the labels of all parts of a path.
func joinedAgain(labels []string, parts map[string]int) []string {
	for {
		joined := false
		for whole, n := range parts {
			all := make([]string, n)
			for i := range all {
				all[i] = branchOf(whole, i, n)
			}
			if !slices.ContainsFunc(all, func(l string) bool { return !slices.Contains(labels, l) }) {
				labels = append(slices.DeleteFunc(slices.Clone(labels), func(l string) bool { return slices.Contains(all, l) }), whole)
				joined = true
			}
		}
		if !joined {
			slices.Sort(labels)
			return slices.Compact(labels)
		}
	}
}

// inPathOrder lists the nodes so that each stands behind all that lead to it, but where
// the path loops, and those of one path together.
func inPathOrder(g *forward.Graph) []int {
	var order []int
	seen := make([]bool, len(g.Nodes))
	var visit func(int)
	visit = func(n int) {
		seen[n] = true
		for _, e := range slices.Backward(g.Nodes[n].Edges) {
			if e.To >= 0 && !seen[e.To] {
				visit(e.To)
			}
		}
		order = append(order, n)
	}
	if len(g.Nodes) > 0 {
		visit(0)
	}
	slices.Reverse(order)
	for n := range seen {
		if !seen[n] {
			order = append(order, n)
		}
	}
	return order
}
