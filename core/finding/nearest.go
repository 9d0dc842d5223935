package finding

import (
	"fmt"
	"strconv"
	"strings"
)

// Nearest is the candidate most like word, where one is like enough to be
// what was meant: at most one slip in three letters, a slip being a letter
// wrong, missing, too many, or swapped with its neighbour. Of one that is numbered
// beyond the candidates it is their range: p1..p23 for p24.
func Nearest(word string, candidates []string) (string, bool) {
	if r, ok := rangeOf(word, candidates); ok {
		return r, true
	}
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

// fewestOfRange is from how many numbered names on they are told as a range.
const fewestOfRange = 3

// rangeOf is the range of the candidates that are numbered as a word is, where its number
// is beyond theirs.
func rangeOf(word string, candidates []string) (string, bool) {
	stem, number, ok := numbered(word)
	if !ok {
		return "", false
	}
	low, high, count := 0, 0, 0
	for _, c := range candidates {
		s, n, ok := numbered(c)
		if !ok || s != stem {
			continue
		}
		if count == 0 {
			low, high = n, n
		}
		low, high, count = min(low, n), max(high, n), count+1
	}
	if count < fewestOfRange || number >= low && number <= high {
		return "", false
	}
	return fmt.Sprintf("%s%d..%s%d", stem, low, stem, high), true
}

// numbered parts a name into what stands before the number at its end, and that.
func numbered(name string) (stem string, number int, ok bool) {
	stem = strings.TrimRight(name, "0123456789")
	number, err := strconv.Atoi(name[len(stem):])
	return stem, number, err == nil && stem != ""
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
