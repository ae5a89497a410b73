package answer

import (
	"time"

	"pikegate/internal/core/civil"
)

// Histogram is how many records there are in each month of the data that a prompt asks
// about; in each quarter or year where there would be too many months; or on each day of
// one month.
type Histogram struct {
	Column string  `json:"column" doc:"Label of the column that the days are those of; empty where no condition compares one."`
	Unit   string  `json:"unit" enum:"day,month,quarter,year" doc:"What is counted by."`
	Units  []Count `json:"units" doc:"In order of time, without gaps."`
}

// Count is how many records a calendar unit has.
type Count struct {
	Phrase  string    `json:"phrase" doc:"What an answer gives."`
	First   civil.Day `json:"first" doc:"First day, included."`
	Last    civil.Day `json:"last" doc:"Last day, included."`
	Spelled string    `json:"spelled" doc:"The same, so that nobody can misread it."`
	Records int64     `json:"records" doc:"How many records it has."`
}

// mostUnits is how many units of a strip there are at most, as far as years go.
const mostUnits = 120

// histogramAge is how long the counts of a strip are taken for true, unless a load or a
// new definition comes first.
const histogramAge = time.Minute

type histogramOf struct {
	changed               int64 // how often what is published or its data had changed
	report, prompt, month string
}

type knownHistogram struct {
	*Histogram
	at time.Time
}
