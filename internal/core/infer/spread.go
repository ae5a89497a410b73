package infer

import (
	"cmp"
	"math"
	"slices"
)

// Frequent is a value with how often it comes.
type Frequent struct {
	Value   string `json:"value" doc:"The value."`
	Records int64  `json:"records" doc:"How many records have it."`
}

// Commonest are the values that come most often, at most so many, the most frequent first and
// equal ones in their order; none where each comes once.
func Commonest(counts map[string]int64, most int) []Frequent {
	all := make([]Frequent, 0, len(counts))
	for text, n := range counts {
		if n > 1 {
			all = append(all, Frequent{text, n})
		}
	}
	slices.SortFunc(all, func(a, b Frequent) int {
		return cmp.Or(cmp.Compare(b.Records, a.Records), cmp.Compare(a.Value, b.Value))
	})
	return all[:min(len(all), most)]
}

// Spread counts points in bars of equal width between the least and the greatest; nil where all
// are the same, or there are none.
func Spread(points []float64, bars int) []int64 {
	if len(points) == 0 {
		return nil
	}
	least, greatest := slices.Min(points), slices.Max(points)
	if !(least < greatest) || math.IsInf(greatest-least, 0) {
		return nil
	}
	counts := make([]int64, bars)
	for _, p := range points {
		counts[min(int((p-least)/(greatest-least)*float64(bars)), bars-1)]++
	}
	return counts
}
