package pairing

// mark gives the atoms [from, to) to a region of noise.
func (r *reader) mark(from, to int, what string) {
	r.region++
	for i := from; i < to; i++ {
		r.regions[i] = r.region
		r.whats[i] = what
	}
}

// findNoise marks what looks like a camera's counter, a date, a pixel size or
// a hash. Whether it is noise is told when the key is known: a key may hold it.
func (r *reader) findNoise(lo, hi int) {
	for i := lo; i < hi; i++ {
		if r.regions[i] != 0 {
			continue
		}
		a := r.f.atoms[i]
		if a.class == digit {
			switch to, what := r.digitNoise(i, hi); {
			case what != "":
				r.mark(i, to, what)
				continue
			}
		} else if i+1 < hi && r.isDigit(i+1) && (i == lo || !a.glued) && r.isCamera(i, hi) {
			r.mark(i, i+2, "camera counter")
			continue
		}
		if !a.glued {
			if to := r.hashEnd(i, lo, hi); to > i {
				r.mark(i, to, "hash")
			}
		}
	}
}

func (r *reader) isCamera(i, hi int) bool {
	digits := r.f.atoms[i+1].len()
	if word := r.text(i); len(word) == 1 && word[0] == 'p' {
		return digits == 7 && string(r.text(i + 1)[:2]) == "10" && r.f.atoms[i+1].glued
	}
	return digits >= 3 && digits <= 5 && r.words.of(r.text(i)).role == asCamera
}

func (r *reader) digitNoise(i, hi int) (to int, what string) {
	length := r.f.atoms[i].len()
	switch {
	case r.isFolderCounter(i, hi):
		return i + 2, "camera counter"
	case length == 8 && isDate(r.number(i)/10000, r.number(i)/100%100, r.number(i)%100):
		to = i + 1
		if to < hi && r.isDigit(to) && (r.f.atoms[to].len() == 6 || r.f.atoms[to].len() == 9) {
			to++ // the time of day
		}
		return to, "date"
	case i+2 < hi && r.isDigit(i+1) && r.isDigit(i+2):
		a, b, c := r.number(i), r.number(i+1), r.number(i+2)
		if length == 4 && r.f.atoms[i+1].len() == 2 && r.f.atoms[i+2].len() == 2 && isDate(a, b, c) {
			return i + 3, "date"
		}
		if length == 2 && r.f.atoms[i+1].len() == 2 && r.f.atoms[i+2].len() == 4 && (isDate(c, b, a) || isDate(c, a, b)) {
			return i + 3, "date"
		}
	}
	if length < 2 || i+1 >= hi {
		return i, ""
	}
	switch word := r.text(i + 1); {
	case string(word) == "px" && length <= 5:
		return i + 2, "pixel size"
	case string(word) == "x" && length <= 5:
		if i+2 < hi && r.isDigit(i+2) && r.f.atoms[i+2].len() >= 2 && r.f.atoms[i+2].len() <= 5 {
			if length >= 3 || r.f.atoms[i+2].len() >= 3 {
				return i + 3, "pixel size"
			}
			return i, ""
		}
		if r.f.atoms[i+1].glued && length >= 3 && (i+2 == hi || !r.f.atoms[i+2].glued) {
			return i + 2, "pixel size"
		}
	}
	return i, ""
}

// isFolderCounter tells whether a name is nothing but the number of a camera's
// folder, 100 to 999, and of the file in it: DCF (JEITA CP-3461), from memory.
func (r *reader) isFolderCounter(i, hi int) bool {
	return i == r.base && hi == r.end && i+2 == hi && r.isDigit(i+1) && r.f.atoms[i].len() == 3 && r.f.atoms[i+1].len() == 4 &&
		r.number(i) >= 100 && string(r.between(i+1)) == "_"
}

func isDate(year, month, day int) bool {
	return year >= 1990 && year <= 2049 && month >= 1 && month <= 12 && day >= 1 && day <= 31
}

// hashEnd returns where a hash or UUID that begins at atom i ends, or i.
func (r *reader) hashEnd(i, lo, hi int) int {
	_, to := r.token(i, lo, hi)
	length, changes := r.f.atoms[to-1].end-r.f.atoms[i].start, to-i-1
	if length < 8 {
		return i
	}
	lengths := [5]int32{8, 4, 4, 4, 12}
	at := i
	for _, length := range lengths {
		if at >= hi {
			at = -1
			break
		}
		from, to := r.token(at, lo, hi)
		if from != at || r.f.atoms[to-1].end-r.f.atoms[from].start != length || !r.isHex(from, to) {
			at = -1
			break
		}
		at = to
	}
	if at > i {
		return at
	}
	if r.isHex(i, to) &&
		(length == 32 || length == 40 || length == 64 || length >= 16 || length >= 12 && changes >= 4 || length >= 8 && changes >= 3 &&
			length >= int32(2*changes)) &&
		changes >= 2 {
		return to
	}
	return i
}

func (r *reader) isHex(from, to int) bool {
	for _, b := range r.f.text[r.f.atoms[from].start:r.f.atoms[to-1].end] {
		if (b < '0' || b > '9') && (b < 'a' || b > 'f') {
			return false
		}
	}
	return true
}
