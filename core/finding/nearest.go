package finding

// Nearest is the candidate most like word, where one is like enough to be
// what was meant: at most one slip in three letters, a slip being a letter
// wrong, missing, too many, or swapped with its neighbour.
func Nearest(word string, candidates []string) (string, bool) {
	best, least := "", len([]rune(word))/3+1
	if least > 3 {
		least = 3
	}
	found := false
	for _, c := range candidates {
		if d := slips(word, c, least); d <= least && (!found || d < least) {
			best, least, found = c, d, true
		}
	}
	return best, found
}

// slips is the optimal string alignment distance between two words, or any
// number above most where it is larger than that.
func slips(a, b string, most int) int {
	s, t := []rune(a), []rune(b)
	if len(s)-len(t) > most || len(t)-len(s) > most {
		return most + 1
	}
	before, last, row := make([]int, len(t)+1), make([]int, len(t)+1), make([]int, len(t)+1)
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(s); i++ {
		row[0] = i
		for j := 1; j <= len(t); j++ {
			cost := 1
			if s[i-1] == t[j-1] {
				cost = 0
			}
			row[j] = min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && s[i-1] == t[j-2] && s[i-2] == t[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, last, row = last, row, before
	}
	return last[len(t)]
}
