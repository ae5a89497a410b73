// Package deepcopy copies values for the spreadsheet library, in place of the module whose path it
// has: that one looks methods up by name, and then the linker must keep every exported method of
// the whole program, 8 MB of it.
package deepcopy

import (
	"fmt"
	"reflect"
)

// Copy copies src, a value or a pointer to one, to what dst points to. Both have the same type.
// Nothing that can be changed is shared afterwards but what interfaces, channels, functions and
// unexported fields hold.
func Copy(dst, src any) error {
	to, from := reflect.ValueOf(dst), reflect.ValueOf(src)
	if to.Kind() != reflect.Pointer || to.IsNil() {
		return fmt.Errorf("deepcopy: cannot copy to %T", dst)
	}
	to = to.Elem()
	for from.Kind() == reflect.Pointer && from.Type() != to.Type() && !from.IsNil() {
		from = from.Elem()
	}
	if !from.IsValid() || from.Type() != to.Type() {
		return fmt.Errorf("deepcopy: cannot copy %T to %T", src, dst)
	}
	to.Set(copied(from))
	return nil
}

func copied(v reflect.Value) reflect.Value {
	switch v.Kind() {
	case reflect.Pointer:
		if v.IsNil() {
			return v
		}
		to := reflect.New(v.Type().Elem())
		to.Elem().Set(copied(v.Elem()))
		return to

	case reflect.Slice:
		if v.IsNil() {
			return v
		}
		to := reflect.MakeSlice(v.Type(), v.Len(), v.Len())
		for i := range v.Len() {
			to.Index(i).Set(copied(v.Index(i)))
		}
		return to

	case reflect.Array:
		to := reflect.New(v.Type()).Elem()
		for i := range v.Len() {
			to.Index(i).Set(copied(v.Index(i)))
		}
		return to

	case reflect.Map:
		if v.IsNil() {
			return v
		}
		to := reflect.MakeMapWithSize(v.Type(), v.Len())
		for each := v.MapRange(); each.Next(); {
			to.SetMapIndex(each.Key(), copied(each.Value()))
		}
		return to

	case reflect.Struct:
		to := reflect.New(v.Type()).Elem()
		to.Set(v)
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				to.Field(i).Set(copied(v.Field(i)))
			}
		}
		return to
	}
	return v
}
