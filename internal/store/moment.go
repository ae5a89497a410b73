package store

import (
	"context"
	"fmt"
	"reflect"
	"time"

	"gorm.io/gorm/schema"
)

// momentSerializer keeps a time as text, RFC 3339 in UTC; the zero time as ”.
type momentSerializer struct{}

func init() { schema.RegisterSerializer("moment", momentSerializer{}) }

func moment(at time.Time) string {
	if at.IsZero() {
		return ""
	}
	return at.UTC().Format(time.RFC3339Nano)
}

// Scan is GORM's interface for reading a value.
func (momentSerializer) Scan(ctx context.Context, field *schema.Field, row reflect.Value, stored any) error {
	text, ok := stored.(string)
	if !ok {
		return fmt.Errorf("a time is kept as %T", stored)
	}
	at := time.Time{}
	if text != "" {
		var err error
		if at, err = time.Parse(time.RFC3339Nano, text); err != nil {
			return err
		}
	}
	return field.Set(ctx, row, at)
}

// Value is GORM's interface for writing one.
func (momentSerializer) Value(_ context.Context, _ *schema.Field, _ reflect.Value, value any) (any, error) {
	at, ok := value.(time.Time)
	if !ok {
		return nil, fmt.Errorf("a time is given as %T", value)
	}
	return moment(at), nil
}
