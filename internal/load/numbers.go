package load

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"pikegate/internal/core/value"
)

// numberForm is how a file writes numbers, told by how it would write 1234.56.
type numberForm struct {
	source         string
	prefix, suffix string // a currency or a unit, which a number may lack
	group, point   string // "" for none
}

var asWritten = regexp.MustCompile(`^([^\d]*)1([^\d]?)234(?:([^\d])56)?([^\d]*)$`)

// parseNumberForm reads a form such as 1.234,56 or $1,234.56.
func parseNumberForm(source string) (*numberForm, error) {
	m := asWritten.FindStringSubmatch(source)
	if m == nil || m[2] != "" && m[2] == m[3] {
		return nil, fmt.Errorf("%q is not how a file would write 1234.56; write it like 1.234,56 or $1,234.56", source)
	}
	return &numberForm{source: source, prefix: strings.TrimSpace(m[1]), group: m[2], point: m[3], suffix: strings.TrimSpace(m[4])}, nil
}

// read is a number in plain digits; false for what is none in this form.
func (f *numberForm) read(text string) (string, bool) {
	text = strings.TrimSpace(strings.ReplaceAll(text, "\u2212", "-"))
	below := false
	if inner, ok := strings.CutPrefix(text, "("); ok && strings.HasSuffix(inner, ")") { // as accounts write amounts below zero
		text, below = strings.TrimSuffix(inner, ")"), true
	}
	sign := func() {
		if rest, ok := strings.CutPrefix(text, "-"); ok && !below {
			text, below = strings.TrimSpace(rest), true
		}
	}
	sign()
	text = strings.TrimSpace(strings.TrimPrefix(text, f.prefix))
	text = strings.TrimSpace(strings.TrimSuffix(text, f.suffix))
	sign()
	whole, fraction, hasPoint := text, "", false
	if f.point != "" {
		whole, fraction, hasPoint = strings.Cut(text, f.point)
	}
	digits, ok := f.ungrouped(whole)
	if !ok || hasPoint && (fraction == "" || strings.Trim(fraction, "0123456789") != "") {
		return "", false
	}
	if hasPoint {
		digits += "." + fraction
	}
	if below {
		digits = "-" + digits
	}
	return digits, true
}

// ungrouped takes the marks out of digits that stand in groups of three; all of them, or
// none.
func (f *numberForm) ungrouped(text string) (string, bool) {
	if f.group != "" && strings.TrimSpace(f.group) == "" { // one blank is as good as another
		text = strings.Map(func(r rune) rune {
			if unicode.IsSpace(r) {
				return []rune(f.group)[0]
			}
			return r
		}, text)
	}
	groups := []string{text}
	if f.group != "" {
		groups = strings.Split(text, f.group)
	}
	for i, g := range groups {
		if strings.Trim(g, "0123456789") != "" || g == "" || i > 0 && len(g) != 3 || i == 0 && len(groups) > 1 && len(g) > 3 {
			return "", false
		}
	}
	digits := strings.TrimLeft(strings.Join(groups, ""), "0")
	if digits == "" {
		digits = "0"
	}
	return digits, true
}

// digits is a field of a column in plain digits, as it is where it is no number.
func (c field) digits(v value.Value) value.Value {
	if text, ok := v.Chars(); ok && c.numbers != nil {
		if digits, ok := c.numbers.read(text); ok {
			return value.Chars(digits)
		}
	}
	return v
}

// knownForms are the forms that are looked for where nothing was said.
var knownForms = func() []*numberForm {
	var all []*numberForm
	for _, source := range []string{"1,234.56", "1.234,56", "1 234,56", "1'234.56", "$1,234.56", "£1,234.56", "€1.234,56", "€1,234.56", "1.234,56 €", "1 234,56 €", "1,234.56 €", "1234.56%", "1234,56 kr"} {
		form, err := parseNumberForm(source)
		if err != nil {
			panic(err)
		}
		all = append(all, form)
	}
	return all
}()

// seenForm is the form that texts have which are all numbers but for how they are written;
// "" for none.
func seenForm(values []value.Value) string {
	if !slices.ContainsFunc(values, func(v value.Value) bool { return strings.Trim(v.String(), "-0123456789") != "" }) {
		return "" // plain digits that are no numbers, of post codes for instance
	}
	for _, form := range knownForms {
		if !slices.ContainsFunc(values, func(v value.Value) bool { _, ok := form.read(v.String()); return !ok }) {
			return form.source
		}
	}
	return ""
}
