package receipt

import (
	"context"
	"errors"

	"pikegate/internal/core/fault"
	"pikegate/internal/service/base"
	"pikegate/internal/source"
	"pikegate/internal/store"
)

// State tells how a run ended.
type State string

const (
	Running         State = store.Running
	Rows            State = "rows"
	NoRows          State = "no_rows"
	Refused         State = "refused"
	InError         State = "definition_in_error"
	SourceNotReady  State = "source_failed"
	SourceBusy      State = "source_busy"
	CutByTime       State = "cut_by_time"
	CutBySize       State = "cut_by_size"
	Cancelled       State = "cancelled"
	Interrupted     State = store.Interrupted
	FailedByService State = "failed"
)

// States lists them, each with its words.
var States = []struct {
	State State
	Says  string
}{
	{Running, "It is running."},
	{Rows, "Records came back."},
	{NoRows, "No record matches. The run went well."},
	{Refused, "An answer was refused; nothing was run."},
	{InError, "The report's definition is in error; nothing was run."},
	{SourceNotReady, "The source did not answer, or not with what was asked; there is no result."},
	{SourceBusy, "As many runs as the source allows ran and waited already; nothing was run."},
	{CutByTime, "It took longer than it may and was cut; what was sent is not the whole result."},
	{CutBySize, "The result has more rows than its source allows and was cut; what was sent is not the whole."},
	{Cancelled, "It was cancelled, or whoever asked went away, before all was sent."},
	{Interrupted, "The service ended in the middle of it; what was sent may not be the whole result."},
	{FailedByService, "The service failed; its log has the cause. There is no result."},
}

// AllStates are the states by themselves, in the order of States.
func AllStates() []State {
	all := make([]State, len(States))
	for i, s := range States {
		all[i] = s.State
	}
	return all
}

// Says is the state in words.
func (s State) Says() string {
	for _, known := range States {
		if known.State == s {
			return known.Says
		}
	}
	return string(s)
}

// RunError is why a run has no result, with the receipt that tells of it.
type RunError struct {
	Receipt int64
	Err     error
}

func (e *RunError) Error() string { return e.Err.Error() }

func (e *RunError) Unwrap() error { return e.Err }

// StateOf is the state of a run that ended with an error.
func StateOf(err error) State {
	var refusal *base.Refusal
	var failed *base.SourceError
	var own *source.Error
	switch {
	case errors.As(err, &refusal) && refusal.Kind == fault.DefinitionInError:
		return InError
	case errors.As(err, &refusal):
		return Refused
	case errors.Is(err, base.ErrTime), errors.As(err, &own) && own.Trouble == source.TooLong:
		return CutByTime
	case errors.As(err, &own) && own.Trouble == source.Full:
		return SourceBusy
	case errors.Is(err, ErrSize):
		return CutBySize
	case errors.Is(err, context.Canceled), errors.Is(err, ErrGone), errors.As(err, new(*Stopped)):
		return Cancelled
	case errors.As(err, &failed):
		return SourceNotReady
	}
	return FailedByService
}

// ErrSize is the cause where a result has more rows than its source allows.
var ErrSize = errors.New("the result has more rows than its source allows")

// Stopped is the cause where somebody cancelled a run.
type Stopped struct{ By string }

func (e *Stopped) Error() string { return e.By + " cancelled it" }

// ErrGone is the cause where whoever asked was gone before all was sent.
var ErrGone = errors.New("whoever asked went away")
