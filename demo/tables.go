package demo

import (
	"math"
	"slices"
	"time"

	"pikegate/internal/core/civil"
)

var tables = []table{
	{
		name:    "routes",
		columns: []string{"route TEXT PRIMARY KEY", "from_harbour TEXT NOT NULL", "to_harbour TEXT NOT NULL", "minutes INTEGER NOT NULL"},
		rows: func(_ *world, put func(...any)) {
			for _, r := range routes {
				put(r.name, r.from, r.to, r.minutes)
			}
		},
	},
	{
		name:    "vessels",
		columns: []string{"vessel TEXT PRIMARY KEY", "passengers INTEGER NOT NULL", "vehicles INTEGER NOT NULL"},
		rows: func(_ *world, put func(...any)) {
			for _, v := range vessels {
				put(v.name, v.passengers, v.vehicles)
			}
		},
	},
	{
		name:    "customers",
		columns: []string{"customer_id INTEGER PRIMARY KEY", "name TEXT NOT NULL", "harbour TEXT", "since TEXT NOT NULL"},
		rows: func(w *world, put func(...any)) {
			for id := range customers {
				put(id+1, person(w), orMissing(w, 9, pick(w, harbours)), w.day().String())
			}
		},
	},
	{
		name: "sailings",
		columns: []string{"sailing_id INTEGER PRIMARY KEY", "route TEXT NOT NULL", "vessel TEXT NOT NULL", "departed_at TEXT NOT NULL", "arrived_at TEXT",
			"passengers INTEGER", "vehicles INTEGER", "minutes_late INTEGER", "status TEXT NOT NULL", "reason TEXT"},
		indexes: []string{"departed_at", "route, departed_at"},
		rows:    sailings,
	},
	{
		name: "bookings",
		columns: []string{"booking_id INTEGER PRIMARY KEY", "customer_id INTEGER NOT NULL", "route TEXT NOT NULL", "party INTEGER NOT NULL", "fare DECIMAL(12, 2)",
			"booked_on TEXT NOT NULL", "travel_on TEXT NOT NULL", "channel TEXT NOT NULL"},
		indexes: []string{"travel_on", "booked_on"},
		rows: func(w *world, put func(...any)) {
			for id := range 200_000 {
				booked, party := w.day(), 1+w.IntN(4)+w.IntN(3)*w.IntN(2)
				put(id+1, 1+w.IntN(customers), pick(w, routes).name, party, orMissing(w, 60, cents(party*(650+w.IntN(4200)))),
					booked.String(), (booked + civil.Day(w.IntN(60))).String(), pick(w, []string{"web", "web", "web", "counter", "telephone", "agent"}))
			}
		},
	},
	{
		name: "waybills",
		columns: []string{"waybill_id INTEGER PRIMARY KEY", "shipper TEXT NOT NULL", "goods TEXT NOT NULL", "kilos INTEGER NOT NULL", "charge DECIMAL(12, 2)",
			"manifest_day TEXT NOT NULL"},
		indexes: []string{"manifest_day"},
		rows: func(w *world, put func(...any)) {
			goods := []string{"chilled", "chilled", "dry", "dry", "dry", "timber", "machinery", "livestock", "parcels", "parcels", "hazardous"}
			for id := range 120_000 {
				kilos := 5 + int(math.Exp(w.Float64()*9))
				put(id+1, pick(w, shippers), pick(w, goods), kilos, orMissing(w, 200, cents(900+kilos*(11+w.IntN(9)))), eightDigits(w.day()))
			}
		},
	},
	{
		name:    "fuel_deliveries",
		columns: []string{"delivery_id INTEGER PRIMARY KEY", "harbour TEXT NOT NULL", "litres INTEGER NOT NULL", "price_per_litre DECIMAL(12, 3) NOT NULL", "delivered_at INTEGER NOT NULL"},
		indexes: []string{"delivered_at"},
		rows:    fuel,
	},
	{
		name:    "inspections",
		columns: []string{"inspection_id INTEGER PRIMARY KEY", "vessel TEXT NOT NULL", "area TEXT NOT NULL", "result TEXT NOT NULL", "inspected_on TEXT NOT NULL", "due_on TEXT"},
		indexes: []string{"inspected_on", "due_on"},
		rows: func(w *world, put func(...any)) {
			for id := range 3_000 {
				on := w.day()
				put(id+1, pick(w, vessels).name, pick(w, []string{"hull", "engine", "lifeboats", "galley", "bridge", "car deck"}),
					pick(w, []string{"passed", "passed", "passed", "passed with remarks", "failed"}), on.String(), orMissing(w, 12, (on+civil.Day(90+w.IntN(400))).String()))
			}
		},
	},
	{
		name:    "certificates",
		columns: []string{"certificate_id INTEGER PRIMARY KEY", "holder TEXT NOT NULL", "kind TEXT NOT NULL", "valid_from TEXT NOT NULL", "valid_until TEXT NOT NULL"},
		indexes: []string{"valid_until"},
		rows: func(w *world, put func(...any)) {
			for id := range 900 {
				from := w.day()
				put(id+1, person(w), pick(w, []string{"master", "mate", "engineer", "able seafarer", "first aid", "radio"}),
					from.String(), (from + civil.Day(365*(1+w.IntN(3)))).String())
			}
		},
	},
	{
		name:    "claims",
		columns: []string{"claim_id INTEGER PRIMARY KEY", "opened_on TEXT NOT NULL", "closed_on TEXT", "reason TEXT NOT NULL", "amount DECIMAL(12, 2)"},
		rows:    claims,
	},
}

// sailings leave by a timetable of each route's own, some of them late or not
// at all. On the night that the clocks go back, boats leave in both passes of
// the repeated hour; every night some leave just before midnight, on it, and
// just after.
func sailings(w *world, put func(...any)) {
	var all []departure
	onSale := w.asOf + 60
	for d := w.first; d <= onSale; d++ {
		for r, route := range routes {
			for range route.weight - 1 + w.IntN(2) {
				all = append(all, departure{w.instant(d, 5*60+w.IntN(18*60)), r})
			}
		}
		all = append(all, departure{w.instant(d, 23*60+58), w.IntN(3)}, departure{w.instant(d, 0), w.IntN(3)}, departure{w.instant(d, 2), w.IntN(3)})
		for _, at := range w.repeated(d) {
			all = append(all, departure{at, w.IntN(3)})
		}
	}
	slices.SortStableFunc(all, func(a, b departure) int { return int(a.at - b.at) })
	now := w.instant(w.asOf, 12*60)
	reasons := []string{"Fog", "Berth taken", "Loading", "Crew change", "Engine check", "High water"}
	for i, d := range all {
		route, vessel := routes[d.route], pick(w, vessels)
		load := 0.15 + 0.6*w.Float64() + 0.2*season(civil.DayAt(d.at, w.zone))
		values := []any{i + 1, route.name, vessel.name, utcText(d.at), nil, nil, nil, nil, "on sale", nil}
		switch {
		case d.at > now:
		case w.chance(45):
			values[8], values[9] = "cancelled", pick(w, reasons)
		default:
			late := max(0, int(w.NormFloat64()*11)-2)
			if w.chance(9) {
				late += w.IntN(75)
			}
			values[4] = utcText(d.at + int64(route.minutes+late)*60)
			values[5], values[6] = int(load*float64(vessel.passengers)), int(load*float64(vessel.vehicles))
			values[7], values[8] = late, "sailed"
			if late > 5 && !w.chance(4) {
				values[9] = pick(w, reasons)
			}
		}
		put(values...)
	}
}

// departure is a boat that leaves, by its route's place in the list.
type departure struct {
	at    int64
	route int
}

// repeated is every ten minutes of both passes of the clock hour that comes
// twice on the day, where one does.
func (w *world) repeated(d civil.Day) []int64 {
	start, end := civil.FirstInstant(d, w.zone), civil.FirstInstant(d+1, w.zone)
	if end-start <= 24*3600 {
		return nil
	}
	_, change := time.Unix(start, 0).In(w.zone).ZoneBounds()
	var all []int64
	for at := change.Unix() - 3600; at < change.Unix()+3600; at += 600 {
		all = append(all, at)
	}
	return all
}

// season is 0 in the depth of winter and 1 in high summer.
func season(d civil.Day) float64 {
	_, m, _ := d.Date()
	return (1 - math.Cos(float64(m-1)/12*2*math.Pi)) / 2
}

// fuel comes on most days, once in a while within a second of midnight.
func fuel(w *world, put func(...any)) {
	const deliveries = 4_000
	times := make([]int64, deliveries)
	for i := range times {
		d := w.day()
		times[i] = w.instant(d, 0) + int64(w.IntN(86_400))
		if w.chance(25) {
			times[i] = civil.FirstInstant(d, w.zone) + int64(w.IntN(3)) - 1
		}
	}
	slices.Sort(times)
	for i, at := range times {
		put(i+1, pick(w, harbours), 800+w.IntN(24_000), float64(780+w.IntN(420))/1000, at)
	}
}

// claims came over from an older system; a few of its dates are broken.
func claims(w *world, put func(...any)) {
	broken := []string{"0/0/0000", "2/30/2025", "n/a", "13/1/2025", ""}
	for id := range 5_000 {
		opened := w.day()
		opening, closing := oldStyle(opened), any(nil)
		if closed := opened + civil.Day(3+w.IntN(120)); closed <= w.asOf {
			closing = oldStyle(closed)
		}
		if w.chance(400) {
			opening = pick(w, broken)
		}
		put(id+1, opening, closing, pick(w, []string{"damaged vehicle", "lost baggage", "late arrival", "injury", "spoiled goods", "Injury", "injury ", ""}),
			orMissing(w, 30, cents(1_000+w.IntN(240_000))))
	}
}
