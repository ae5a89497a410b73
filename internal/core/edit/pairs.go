package edit

// pairs lays the items of two lists beside each other: which of the new ones each of the old ones is.
type pairs struct {
	to   []int // of each old item the index of the new one; -1 where it is gone
	from []int // of each new item the index of the old one; -1 where it is new
	// moved are the old items that stand behind others than they did.
	moved map[int]bool
}

// paired finds which item is which: first those that are the same or much alike in the same order,
// then the same ones at other places, then as many as there are left between two of those.
func paired(old, new []Child) pairs {
	p := pairs{to: make([]int, len(old)), from: make([]int, len(new)), moved: map[int]bool{}}
	for i := range p.to {
		p.to[i] = -1
	}
	for j := range p.from {
		p.from[j] = -1
	}
	was, is := idsOf(old, new)
	start, end := 0, 0
	for start < min(len(old), len(new)) && was[start] == is[start] {
		p.pair(start, start)
		start++
	}
	for end < min(len(old), len(new))-start && was[len(old)-1-end] == is[len(new)-1-end] {
		end++
		p.pair(len(old)-end, len(new)-end)
	}
	p.inOrder(start, old[start:len(old)-end], new[start:len(new)-end], was[start:], is[start:])
	p.elsewhere(was, is)
	p.between()
	return p
}

func (p *pairs) pair(i, j int) { p.to[i], p.from[j] = j, i }

// idsOf numbers items by what they say.
func idsOf(old, new []Child) (was, is []int) {
	ids := map[string]int{}
	var says []byte
	number := func(all []Child) []int {
		numbers := make([]int, len(all))
		for i, c := range all {
			says = c.Value.appendMeaning(says[:0])
			id, known := ids[string(says)]
			if !known {
				id = len(ids)
				ids[string(says)] = id
			}
			numbers[i] = id
		}
		return numbers
	}
	return number(old), number(new)
}

// same is what a pair of the same items counts, more than any pairs of those that are alike.
const same = 1 << 20

// mostPairs is how many pairs of items are held against each other.
const mostPairs = 1 << 18

// inOrder pairs the same and like items of two parts of lists that start at an index, so that they
// count the most together.
func (p *pairs) inOrder(at int, old, new []Child, was, is []int) {
	if len(old)*len(new) > mostPairs { // each with the next that is the same
		next := 0
		for i := range old {
			for j := next; j < len(new); j++ {
				if was[i] == is[j] {
					p.pair(at+i, at+j)
					next = j + 1
					break
				}
			}
		}
		return
	}
	count := func(i, j int) int {
		if was[i] == is[j] {
			return same
		}
		return likeness(old[i].Value, new[j].Value)
	}
	best := make([][]int, len(old)+1) // of what starts at i and j
	for i := range best {
		best[i] = make([]int, len(new)+1)
	}
	for i := len(old) - 1; i >= 0; i-- {
		for j := len(new) - 1; j >= 0; j-- {
			best[i][j] = max(best[i+1][j], best[i][j+1])
			if c := count(i, j); c > 0 {
				best[i][j] = max(best[i][j], c+best[i+1][j+1])
			}
		}
	}
	for i, j := 0, 0; i < len(old) && j < len(new); {
		switch c := count(i, j); {
		case c > 0 && best[i][j] == c+best[i+1][j+1]:
			p.pair(at+i, at+j)
			i, j = i+1, j+1
		case best[i][j] == best[i+1][j]:
			i++
		default:
			j++
		}
	}
}

// likeness is how much two mappings have in common that start with the same key; 0 of others.
func likeness(a, b *Node) int {
	if a.Kind != Mapping || b.Kind != Mapping || len(a.Children) == 0 || len(b.Children) == 0 || a.Children[0].Key != b.Children[0].Key {
		return 0
	}
	common := 1
	for _, c := range a.Children {
		i := b.index(c.Key)
		if i < 0 {
			continue
		}
		common++
		if other := b.Children[i].Value; c.Value.Equal(other) {
			common += 2
		} else {
			common += likeness(c.Value, other)
		}
	}
	return common
}

// elsewhere pairs the items that are left with the same ones at other places.
func (p *pairs) elsewhere(was, is []int) {
	left := map[int][]int{} // new items by what they say
	for j, i := range p.from {
		if i < 0 {
			left[is[j]] = append(left[is[j]], j)
		}
	}
	for i, j := range p.to {
		if all := left[was[i]]; j < 0 && len(all) > 0 {
			p.pair(i, all[0])
			p.moved[i] = true
			left[was[i]] = all[1:]
		}
	}
}

// between pairs what is left between two pairs, where it is as many items in both lists.
func (p *pairs) between() {
	var old, new []int
	settle := func() {
		if len(old) == len(new) {
			for n, i := range old {
				p.pair(i, new[n])
			}
		}
		old, new = nil, nil
	}
	j := 0
	for i, to := range p.to {
		if p.moved[i] {
			continue
		}
		if to < 0 {
			old = append(old, i)
			continue
		}
		for ; j < to; j++ {
			if p.from[j] < 0 {
				new = append(new, j)
			}
		}
		settle()
		j = to + 1
	}
	for ; j < len(p.from); j++ {
		if p.from[j] < 0 {
			new = append(new, j)
		}
	}
	settle()
}
