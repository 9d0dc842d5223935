package frames

// Captured is a packet of a capture as far as it is told apart from others: where it
// was captured, and what is alike in the same packet at other interfaces.
type Captured struct{ Interface, Key string }

// Beside puts the packets captured at two interfaces side by side: by their numbers, -1
// where one was captured at the other interface only. A packet is put beside the next
// one like it.
func Beside(all []Captured, a, b string) [][2]int {
	var pairs [][2]int
	used := make([]bool, len(all))
	for i, x := range all {
		if used[i] || x.Interface != a && x.Interface != b {
			continue
		}
		other := -1
		for j := i + 1; j < len(all) && other < 0; j++ {
			y := all[j]
			if !used[j] && y.Interface != x.Interface && (y.Interface == a || y.Interface == b) && y.Key == x.Key {
				other, used[j] = j, true
			}
		}
		if x.Interface == b {
			pairs = append(pairs, [2]int{other, i})
		} else {
			pairs = append(pairs, [2]int{i, other})
		}
	}
	return pairs
}
