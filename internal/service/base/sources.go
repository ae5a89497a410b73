package base

import (
	"context"
	"errors"
	"fmt"

	"pikegate/internal/source"
)

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
