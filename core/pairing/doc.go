// Package pairing reads file names and tells which product each file shows.
//
// It owns keys, readings, clues, verdicts and suggestions. It computes only:
// no files, no database, no clock. The same input gives the same output,
// whatever the order of the files, and a Catalog may be read by many
// goroutines at once. Writing placements is for core/plan.
//
// A name is folded once (Unicode NFKC, letter case) and cut into atoms, the
// runs of letters and the runs of digits. A key counts in a name only from the
// start of one atom to the end of another, so every equality of the ladder is
// one lookup a pair of atoms in a hash table of keys, and the rung that really
// matched is told afterwards by comparing the two texts.
package pairing
