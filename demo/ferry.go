package demo

import (
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"time"

	"pikegate/internal/core/civil"
)

// world is what the tables are made from.
type world struct {
	*rand.Rand
	asOf  civil.Day
	first civil.Day // of the three years that the records go back
	zone  *time.Location
}

func newWorld(asOf civil.Day) (*world, error) {
	zone, err := civil.LoadZone("Europe/Helsinki")
	if err != nil {
		return nil, err
	}
	first, ok := asOf.AddMonths(-36)
	_, okAhead := asOf.AddMonths(36)
	if !ok || !okAhead {
		return nil, fmt.Errorf("the demo's as-of day lies too near the end of the calendar: %s", asOf)
	}
	return &world{asOf: asOf, first: first, zone: zone}, nil
}

// with is the world with a random source of the table's own, so that a change
// to one table leaves the others as they are.
func (w world) with(table string) *world {
	h := fnv.New64a()
	h.Write([]byte(table))
	w.Rand = rand.New(rand.NewPCG(uint64(w.asOf), h.Sum64()))
	return &w
}

// chance is true once in n.
func (w *world) chance(n int) bool { return w.IntN(n) == 0 }

func pick[T any](w *world, of []T) T { return of[w.IntN(len(of))] }

// day is some day of the records, later ones not more often than earlier ones.
func (w *world) day() civil.Day { return w.first + civil.Day(w.IntN(int(w.asOf-w.first)+1)) }

// instant is a wall-clock time of a day in the harbour, as seconds of the
// POSIX epoch.
func (w *world) instant(d civil.Day, minuteOfDay int) int64 {
	y, m, day := d.Date()
	return time.Date(y, m, day, 0, minuteOfDay, 0, 0, w.zone).Unix()
}

func utcText(seconds int64) string { return time.Unix(seconds, 0).UTC().Format(time.DateTime) }

func eightDigits(d civil.Day) string {
	y, m, day := d.Date()
	return fmt.Sprintf("%04d%02d%02d", y, m, day)
}

// oldStyle is a day as the line's former claims system left it: M/d/yyyy.
func oldStyle(d civil.Day) string {
	y, m, day := d.Date()
	return fmt.Sprintf("%d/%d/%d", m, day, y)
}

func cents(n int) float64 { return float64(n) / 100 }

var routes = []struct {
	name, from, to string
	minutes        int
	weight         int // how much of the traffic
}{
	{"Outer Loop", "Lantern Bay", "Lantern Bay", 95, 12},
	{"Skerry Run", "Lantern Bay", "Skerry", 40, 11},
	{"Lantern Bay – Holm", "Lantern Bay", "Holm", 65, 9},
	{"North Mole Shuttle", "North Mole", "Lantern Bay", 15, 9},
	{"Greywater Crossing", "Holm", "Greywater", 120, 5},
	{"Tern Island", "Skerry", "Tern Island", 30, 4},
	{"Saltmarsh Night Boat", "Greywater", "Saltmarsh", 380, 2},
	{"Kelp Point", "North Mole", "Kelp Point", 25, 2},
}

var vessels = []struct {
	name                 string
	passengers, vehicles int
}{
	{"Grey Petrel", 380, 60}, {"Kittiwake", 140, 18}, {"Marram", 320, 52}, {"O'Dell's Pride", 90, 10},
	{"Saltwind", 410, 70}, {"Little Auk", 60, 4}, {"Bright Sedge", 260, 36}, {"Ångra", 200, 24},
}

var harbours = []string{"Lantern Bay", "North Mole", "Skerry", "Holm", "Greywater", "Tern Island", "Saltmarsh", "Kelp Point"}

var shippers = []string{
	"Bramblewick & Daughters", "O'Dell Timber", "100% Wool Works", "Søndervig Fiskeri", "Łozina Glass", "Ωmikron Nets",
	"北浜商会", "Quillfeather Paper", "Tidemark Cold Store", "Hob's Yard", "Marsh \"Reed\" Thatching", "Underhill, Pike & Co",
	"Cockle Row Bakery", "Ravenspur Machines", "Island Parcel Round", "Fern_and_Slate", "Долина Мёда", "Saltcellar Ltd",
	// Twins in case, by a blank at the end, and by how an accent is written.
	"FERN_AND_SLATE", "Saltcellar Ltd ", "Quai Élise", "Quai E\u0301lise",
}

var givenNames = []string{"Ines", "Tove", "Maren", "Odd", "Pell", "Runa", "Sive", "Bjarte", "Lumi", "Kaito", "Zofia", "Émile", "D'Arcy", "Юна", "Nils"}

var familyNames = []string{"Karrow", "Vantrell", "Holmgaard", "O'Farrow", "Sedgewater", "Thrane", "Ytterby", "Quill", "Marlow-Finch", "Østerå", "Брод", "Pennick", "Ashlock", "Tarn"}

func person(w *world) string { return pick(w, givenNames) + " " + pick(w, familyNames) }

// customers is how many customers there are; bookings name them.
const customers = 2400

// orMissing is the value, or nil once in n.
func orMissing(w *world, n int, v any) any {
	if w.chance(n) {
		return nil
	}
	return v
}
