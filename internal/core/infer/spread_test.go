package infer_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/internal/core/infer"
)

func TestCommonest(t *testing.T) {
	counts := map[string]int64{"web": 5, "agent": 9, "desk": 5, "once": 1}
	assert.Equal(t, []infer.Frequent{{Value: "agent", Records: 9}, {Value: "desk", Records: 5}}, infer.Commonest(counts, 2))
	assert.Len(t, infer.Commonest(counts, 9), 3, "what comes once is not common")
	assert.Empty(t, infer.Commonest(nil, 3))
}

func TestSpread(t *testing.T) {
	for name, c := range map[string]struct {
		points []float64
		want   []int64
	}{
		"each bar has its points": {[]float64{0, 1, 2, 3, 3.9, 4}, []int64{1, 1, 1, 3}},
		"below zero":              {[]float64{-4, -1, 0}, []int64{1, 0, 0, 2}},
		"far apart":               {[]float64{-math.MaxFloat64 / 4, 0, math.MaxFloat64 / 4}, []int64{1, 0, 1, 1}},
		"too far apart":           {[]float64{-math.MaxFloat64, math.MaxFloat64}, nil},
		"all the same":            {[]float64{7, 7}, nil},
		"none":                    {nil, nil},
	} {
		t.Run(name, func(t *testing.T) { assert.Equal(t, c.want, infer.Spread(c.points, 4)) })
	}
}
