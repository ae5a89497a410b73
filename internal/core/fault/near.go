package fault

import "strings"

// Near picks the known word that a mistyped one was most likely meant to be:
// at most one slip (a letter wrong, missing, doubled or two swapped) for every
// three letters, or only its beginning. It returns "" where none is near; case does not matter.
func Near(word string, known []string) string {
	folded := []rune(strings.ToLower(word))
	if len(folded) > 64 {
		return ""
	}
	best, bestSlips := "", len(folded)/3+1
	for _, k := range known {
		other := []rune(strings.ToLower(k))
		slips := Slips(folded, other)
		if len(folded) > 2 && strings.HasPrefix(string(other), string(folded)) {
			slips = 1
		}
		if slips < bestSlips {
			best, bestSlips = k, slips
		}
	}
	return best
}

// Slips counts the edits between two words, a swap of neighbours as one
// (optimal string alignment).
func Slips(a, b []rune) int {
	before, above := make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range above {
		above[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row := make([]int, len(b)+1)
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(above[j]+1, row[j-1]+1, above[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, above = above, row
	}
	return above[len(b)]
}
