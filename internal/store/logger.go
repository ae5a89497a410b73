package store

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// troubles logs the statements that failed, without their values, which may be anybody's. Those
// that found nothing and those that nobody waits for any longer have not failed.
type troubles struct{ to *slog.Logger }

// LogMode changes nothing: what is logged is the same at each level.
func (t troubles) LogMode(logger.LogLevel) logger.Interface { return t }

// Info is what the library remarks; none of it is of use to an operator.
func (troubles) Info(context.Context, string, ...any) {}

// Warn is Info.
func (troubles) Warn(context.Context, string, ...any) {}

// Error logs what the library could not do. about may hold values, and is not logged.
func (t troubles) Error(ctx context.Context, what string, _ ...any) {
	t.to.ErrorContext(ctx, "own records", "error", what)
}

// Trace logs a statement that failed. Those that went well are not even spelled out.
func (t troubles) Trace(ctx context.Context, began time.Time, statement func() (string, int64), err error) {
	if err == nil || errors.Is(err, context.Canceled) || errors.Is(err, gorm.ErrRecordNotFound) {
		return
	}
	sql, _ := statement()
	t.to.ErrorContext(ctx, "a statement on own records failed", "error", err, "sql", sql, "took", time.Since(began).String())
}

// ParamsFilter leaves the values of a statement out of the log.
func (troubles) ParamsFilter(_ context.Context, sql string, _ ...any) (string, []any) {
	return sql, nil
}
