package value

import (
	"encoding/binary"
	"errors"
	"unsafe"
)

// ErrCoded is the cause where bytes are not a row as AppendRow writes it.
var ErrCoded = errors.New("the bytes are not a row of values")

// AppendRow appends a row so that ReadRow reads the same values: for each its sort, and behind it
// a number in eight bytes, or the length of a text and the text.
func AppendRow(b []byte, row []Value) []byte {
	for _, v := range row {
		b = append(b, byte(v.form))
		switch v.form {
		case whole, real:
			b = binary.LittleEndian.AppendUint64(b, v.bits)
		case digits, chars:
			b = append(binary.AppendUvarint(b, uint64(len(v.text))), v.text...)
		}
	}
	return b
}

// ReadRow reads a row of as many values as row has room for. Its texts are in the memory of b.
func ReadRow(b []byte, row []Value) error {
	for i := range row {
		if len(b) == 0 {
			return ErrCoded
		}
		v := Value{form: form(b[0])}
		b = b[1:]
		switch v.form {
		case missing:
		case whole, real:
			if len(b) < 8 {
				return ErrCoded
			}
			v.bits, b = binary.LittleEndian.Uint64(b), b[8:]
		case digits, chars:
			n, width := binary.Uvarint(b)
			if width <= 0 || n > uint64(len(b)-width) {
				return ErrCoded
			}
			text := b[width : width+int(n)]
			v.text, b = unsafe.String(unsafe.SliceData(text), len(text)), b[width+int(n):]
		default:
			return ErrCoded
		}
		row[i] = v
	}
	if len(b) > 0 {
		return ErrCoded
	}
	return nil
}
