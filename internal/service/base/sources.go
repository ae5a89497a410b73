package base

import (
	"context"
	"errors"
	"fmt"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/source"
)

// Failed is an error of the source of a dataset; of whoever asked and of the time that
// there was, it is what it was.
func (s *Base) Failed(d *catalog.Dataset, err error) error {
	if errors.Is(err, ErrTime) || errors.Is(err, context.Canceled) {
		return err
	}
	return &SourceError{Source: d.Source.Name, Err: err}
}

// SourceAt is where a definition says that a source is.
func (s *Base) SourceAt(ctx context.Context, c catalog.Connection) (*source.Source, error) {
	if ctx.Value(publishingKey{}) != nil {
		return s.sources.Try(c)
	}
	return s.sources.Get(c)
}

// Look hands a snapshot of a source to use, when it is its turn, for so long and no longer.
func (s *Base) Look(ctx context.Context, from *source.Source, limit time.Duration, use func(context.Context, source.View) error) error {
	leave, err := from.Enter(ctx, PersonOf(ctx).Name, s.Config().RunTime)
	if err != nil {
		return err
	}
	defer leave()
	within, cancel := context.WithTimeoutCause(ctx, limit, fmt.Errorf("%w: %s", ErrTime, limit))
	defer cancel()
	err = from.View(within, func(v source.View) error { return use(within, v) })
	if err != nil && within.Err() != nil && !errors.As(err, new(*source.Error)) {
		return context.Cause(within)
	}
	return err
}

// ErrTime is the cause where a run took longer than it may.
var ErrTime = errors.New("the run took longer than it may")

// SourceError is a source that did not answer, or not with what was asked.
type SourceError struct {
	Source string
	Err    error
}

// Error tells what the source itself says of it. What a driver or a system says stays in
// the log: it may name users, databases and addresses.
func (e *SourceError) Error() string {
	says := "it could not be read"
	if own := (*source.Error)(nil); errors.As(e.Err, &own) {
		says = own.Error()
	}
	return fmt.Sprintf("source %s: %s", e.Source, says)
}

func (e *SourceError) Unwrap() error { return e.Err }

type publishingKey struct{}

// Publishing says that the definitions which are being checked are about to be published
// by somebody who may do so, whose new sources are connected to then.
func Publishing(ctx context.Context) context.Context {
	return context.WithValue(ctx, publishingKey{}, true)
}
