package column

import (
	"strings"
)

// otherLetters are ways of writing a pattern in other places: of C's strftime, of
// databases, of spreadsheets.
var otherLetters = strings.NewReplacer("%Y", "yyyy", "%y", "yy", "%m", "MM", "%b", "MMM", "%-d", "d", "%-m", "M", "%d", "dd", "%H", "HH", "%M", "mm", "%S", "ss", "%F", "yyyy-MM-dd", "%T", "HH:mm:ss",
	"HH24", "HH", "MI", "mm", "MON", "MMM", "Mon", "MMM", "mon", "MMM")

// NearPattern is the pattern that is read and that one which is not was probably meant
// to be: its letters in the case in which they are read, and others in quotes. It is ""
// where there is none.
func NearPattern(source string) string {
	source = otherLetters.Replace(source)
	var b strings.Builder
	hours, minutes := false, false
	for i := 0; i < len(source); {
		c := source[i]
		run := 1
		for i+run < len(source) && source[i+run] == c {
			run++
		}
		switch c {
		case 'Y', 'y':
			b.WriteString(map[bool]string{true: "yy", false: "yyyy"}[run == 2])
		case 'M', 'm':
			if hours && !minutes {
				b.WriteString("mm")
				minutes = true
				break
			}
			b.WriteString(strings.Repeat("M", min(run, 3)))
		case 'D', 'd':
			b.WriteString(strings.Repeat("d", min(run, 2)))
		case 'H', 'h':
			b.WriteString("HH")
			hours = true
		case 'S', 's':
			b.WriteString("ss")
		case 'T', 'Z':
			b.WriteString("'" + strings.Repeat(string(c), run) + "'")
		case '\'':
			closing := strings.IndexByte(source[i+1:], '\'')
			if closing < 0 {
				return ""
			}
			run = closing + 2
			fallthrough
		default:
			b.WriteString(source[i : i+run])
		}
		i += run
	}
	if _, err := ParsePattern(b.String()); err != nil {
		return ""
	}
	return b.String()
}
