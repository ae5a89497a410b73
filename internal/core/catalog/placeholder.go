package catalog

import (
	"pikegate/internal/core/column"
	"pikegate/internal/core/prompt"
)

// Placeholder is what a placeholder of custom SQL stands for where it stands.
type Placeholder struct {
	Prompt *prompt.Prompt
	Part   DayPart
	Column *column.Column // whose stored form it takes; nil where the answer is no date
}

// DayPart is which day of an answer a placeholder stands for.
type DayPart string

const (
	WholeAnswer DayPart = ""
	FirstDay    DayPart = "first"
	LastDay     DayPart = "last"
	NextDay     DayPart = "next_day" // the first day after, excluded
)
