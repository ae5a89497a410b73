package timetable

import "pikegate/internal/core/civil"

// Walls are the wall times of the times of a day, in seconds as if they were UTC.
func Walls(t Times, d civil.Day) (all []int64) {
	if t.on.has(d) {
		for _, at := range t.at {
			all = append(all, d.Midnight()+int64(at))
		}
	}
	return all
}
