package export

import (
	"math"
	"slices"
	"strconv"

	"codeberg.org/go-pdf/fpdf"

	"pikegate/internal/core/english"
)

// picture is what a chart is drawn of: places along its axis, and series of numbers at them, NaN where
// nothing is known.
type picture struct {
	places []string
	series []string
	values [][]float64 // by series and place
	others [][]float64 // the same figure of other periods
}

// pictureOf makes the picture of a chart's rows.
func pictureOf(s *paperSection) picture {
	c := s.head.Chart
	find := func(name string) int {
		return slices.IndexFunc(s.head.Columns, func(col Column) bool { return col.Name == name })
	}
	across, up, split := find(c.Across), find(c.Up), find(c.Split)
	p := picture{}
	if across < 0 || up < 0 {
		return p
	}
	index := func(all *[]string, name string) int {
		i := slices.Index(*all, name)
		if i < 0 {
			i = len(*all)
			*all = append(*all, name)
		}
		return i
	}
	places := map[string]int{}
	for _, row := range s.rows {
		if _, known := places[row[across]]; !known {
			places[row[across]] = len(p.places)
			p.places = append(p.places, row[across])
		}
	}
	at := func(all *[][]float64, i int) []float64 {
		for len(*all) <= i {
			none := make([]float64, len(p.places))
			for j := range none {
				none[j] = math.NaN()
			}
			*all = append(*all, none)
		}
		return (*all)[i]
	}
	for _, row := range s.rows {
		one := ""
		if split >= 0 {
			one = row[split]
		}
		place := places[row[across]]
		at(&p.values, index(&p.series, one))[place] = number(row[up])
		for i, other := range c.Compare {
			if j := find(other.Up); j >= 0 {
				at(&p.others, i)[place] = number(row[j])
			}
		}
	}
	return p
}

func number(text string) float64 {
	n, err := strconv.ParseFloat(text, 64)
	if err != nil {
		return math.NaN()
	}
	return n
}

// known is a number, 0 where nothing is known.
func known(n float64) float64 {
	if math.IsNaN(n) {
		return 0
	}
	return n
}

// shares turns the numbers at each place into per cent of what they come to.
func (p *picture) shares() {
	for place := range p.places {
		whole := 0.0
		for _, of := range p.values {
			whole += known(of[place])
		}
		for _, of := range p.values {
			if whole > 0 {
				of[place] = 100 * known(of[place]) / whole
			}
		}
	}
}

// extent are the least and the greatest number that is drawn, 0 among them.
func (p *picture) extent(stacked bool) (least, most float64) {
	for place := range p.places {
		above, below := 0.0, 0.0
		for _, of := range p.values {
			n := known(of[place])
			if !stacked {
				above, below = 0, 0
			}
			if n > 0 {
				above += n
			} else {
				below += n
			}
			least, most = min(least, below), max(most, above)
		}
		for _, of := range p.others {
			least, most = min(least, known(of[place])), max(most, known(of[place]))
		}
	}
	if least == most {
		most = least + 1
	}
	return least, most
}

// ticks are round numbers from the least to the greatest, about so many.
func ticks(least, most float64, about int) (all []float64) {
	step := math.Pow(10, math.Floor(math.Log10((most-least)/float64(about))))
	for _, times := range []float64{1, 2, 5, 10} {
		if (most-least)/(step*times) <= float64(about)+0.5 {
			step *= times
			break
		}
	}
	for n := math.Floor(least/step) * step; n < most+step*(1-1e-6); n += step {
		all = append(all, math.Round(n/step)*step)
	}
	return all
}

// inkSeries are the colours of series; the second six have them lighter.
var inkSeries = []ink{inkDeep, {0xa1, 0x50, 0x2f}, {0x3f, 0x62, 0x9b}, {0x56, 0x76, 0x2f}, {0x7b, 0x4a, 0x78}, {0x8a, 0x6a, 0x12}}

var inkOther = ink{0xb4, 0xb0, 0xa2}

const (
	chartHeight = 92.0
	axisSize    = 7.5 // points
	legendWidth = 42.0
)

// frame is where a chart is drawn.
type frame struct {
	*layout
	x, y, width, height float64
	least, most         float64
	lying               bool // places go down, numbers to the right
}

// along is where a number is on its axis.
func (f *frame) along(n float64) float64 {
	share := (n - f.least) / (f.most - f.least)
	if f.lying {
		return f.x + share*f.width
	}
	return f.y + f.height*(1-share)
}

// chart draws a chart with its axes and its legend.
func (l *layout) chart(s *paperSection) {
	if s.head.Chart == nil || len(s.rows) == 0 {
		return
	}
	p := pictureOf(s)
	if len(p.places) == 0 || len(p.values) == 0 {
		return
	}
	kind := s.head.Chart.Kind
	stacked := s.head.Chart.Stacked || kind == "share"
	if kind == "share" {
		p.shares()
	}
	f := &frame{layout: l, x: l.left + 16, y: l.pdf.GetY() + 3, width: l.width - 20, height: chartHeight - 18, lying: kind == "bar"}
	if f.lying {
		f.x, f.width = l.left+46, l.width-50
	}
	if len(p.series) > 1 {
		f.width -= legendWidth
	}
	least, most := p.extent(stacked)
	marks := ticks(least, most, 5)
	f.least, f.most = marks[0], marks[len(marks)-1]
	f.axes(p, marks, kind == "share")
	switch kind {
	case "line", "area":
		f.lines(p, kind == "area", stacked)
	default:
		f.blocks(p, stacked)
	}
	if len(p.series) > 1 {
		f.legend(p.series)
	}
	l.pdf.SetXY(l.left, f.y+f.height+12)
}

// axes draws the lines of the numbers, and names places as far as there is room.
func (f *frame) axes(p picture, marks []float64, perCent bool) {
	f.stroke(inkLine, 0.15)
	f.font("", axisSize, inkQuiet)
	for _, n := range marks {
		text := english.GroupedDigits(strconv.FormatFloat(n, 'f', -1, 64))
		if perCent {
			text += " %"
		}
		at := f.along(n)
		if f.lying {
			f.pdf.Line(at, f.y, at, f.y+f.height)
			f.pdf.Text(at-f.pdf.GetStringWidth(text)/2, f.y+f.height+4, text)
		} else {
			f.pdf.Line(f.x, at, f.x+f.width, at)
			f.pdf.Text(f.x-1.5-f.pdf.GetStringWidth(text), at+1, text)
		}
	}
	each := f.step(p)
	if f.lying {
		every := int(math.Ceil(4 / each))
		for i := 0; i < len(p.places); i += every {
			name := at(f.split(p.places[i], 44), 0)
			f.pdf.Text(f.x-1.5-f.pdf.GetStringWidth(name), f.y+(float64(i)+0.5)*each+1, name)
		}
		return
	}
	widest := 0.0
	for _, name := range p.places {
		widest = max(widest, f.pdf.GetStringWidth(name))
	}
	every := max(1, int(math.Ceil((min(widest, 34)+2)/each)))
	for i := 0; i < len(p.places); i += every {
		name := at(f.split(p.places[i], 36), 0)
		wide := f.pdf.GetStringWidth(name)
		if middle := f.x + (float64(i)+0.5)*each; i == 0 || middle+wide/2 <= f.x+f.width+2 {
			f.pdf.Text(max(f.x, middle-wide/2), f.y+f.height+4, name)
		}
	}
}

// step is how much room each place has.
func (f *frame) step(p picture) float64 {
	if f.lying {
		return f.height / float64(len(p.places))
	}
	return f.width / float64(len(p.places))
}

func colourOf(i int, name string) ink {
	if name == "others" {
		return inkOther
	}
	colour := inkSeries[i%len(inkSeries)]
	if i/len(inkSeries)%2 == 1 {
		for part := range colour {
			colour[part] = (colour[part] + 2*255) / 3
		}
	}
	return colour
}

// block draws a number from one place of its axis to another.
func (f *frame) block(across, wide, from, to float64) {
	a, b := f.along(from), f.along(to)
	if f.lying {
		f.pdf.Rect(min(a, b), f.y+across, math.Abs(b-a), wide, "F")
	} else {
		f.pdf.Rect(f.x+across, min(a, b), wide, math.Abs(b-a), "F")
	}
}

// blocks draws columns or bars, beside each other or on each other.
func (f *frame) blocks(p picture, stacked bool) {
	each := f.step(p)
	wide := each * 0.76
	for place := range p.places {
		from := float64(place)*each + each*0.12
		for i, of := range p.others {
			f.fill(inkOther)
			f.block(from-each*0.08+float64(i)*each*0.04, each*0.92-float64(i)*each*0.08, 0, known(of[place]))
		}
		above, below := 0.0, 0.0
		for i, of := range p.values {
			n := known(of[place])
			f.fill(colourOf(i, p.series[i]))
			switch {
			case !stacked:
				part := wide / float64(len(p.values))
				f.block(from+float64(i)*part, part*0.96, 0, n)
			case n >= 0:
				f.block(from, wide, above, above+n)
				above += n
			default:
				f.block(from, wide, below, below+n)
				below += n
			}
		}
	}
}

// lines draws lines, broken where nothing is known; areas are filled down to zero.
func (f *frame) lines(p picture, filled, stacked bool) {
	each := f.step(p)
	under := make([]float64, len(p.places))
	draw := func(values []float64, colour ink, dashed bool) {
		f.stroke(colour, 0.5)
		if dashed {
			f.pdf.SetDashPattern([]float64{1.5, 1}, 0)
		}
		var run []fpdf.PointType
		end := func(last int) {
			if filled && !dashed && len(run) > 1 {
				shape := slices.Clone(run)
				for i := last; i > last-len(run); i-- {
					shape = append(shape, fpdf.PointType{X: f.x + (float64(i)+0.5)*each, Y: f.along(under[i])})
				}
				f.fill(colour)
				f.pdf.SetAlpha(0.25, "Normal")
				f.pdf.Polygon(shape, "F")
				f.pdf.SetAlpha(1, "Normal")
			}
			for i := 1; i < len(run); i++ {
				f.pdf.Line(run[i-1].X, run[i-1].Y, run[i].X, run[i].Y)
			}
			if len(run) == 1 {
				f.fill(colour)
				f.pdf.Circle(run[0].X, run[0].Y, 0.7, "F")
			}
			run = nil
		}
		for i, n := range values {
			if math.IsNaN(n) {
				end(i - 1)
				continue
			}
			run = append(run, fpdf.PointType{X: f.x + (float64(i)+0.5)*each, Y: f.along(n)})
		}
		end(len(values) - 1)
		f.pdf.SetDashPattern(nil, 0)
	}
	for _, of := range p.others {
		draw(of, inkOther, true)
	}
	for i, of := range p.values {
		values := slices.Clone(of)
		if stacked {
			for place := range values {
				values[place] = under[place] + known(values[place])
			}
		}
		draw(values, colourOf(i, p.series[i]), false)
		if stacked {
			copy(under, values)
		}
	}
}

// legend names the series beside the chart.
func (f *frame) legend(series []string) {
	y := f.y
	for i, name := range series {
		if y+4 > f.y+f.height {
			break
		}
		f.fill(colourOf(i, name))
		f.pdf.Rect(f.x+f.width+4, y, 3, 3, "F")
		f.font("", axisSize+0.5, inkText)
		f.pdf.Text(f.x+f.width+8.5, y+2.6, at(f.split(name, legendWidth-8), 0))
		y += 4.6
	}
}
