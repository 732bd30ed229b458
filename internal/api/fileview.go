package api

import (
	"time"

	"ambrosa/core/picturespec"
	"ambrosa/core/rights"
	"ambrosa/internal/store"
)

// File is a file of a lot, with what the rules tell of it.
type File struct {
	store.File
	HeldBack string     `json:"heldBack" doc:"Why it may not be handed on; empty when it may"`
	Marks    []MarkView `json:"marks" nullable:"false"`
}

// MarkView is a mark of a file, and what it rests on.
type MarkView struct {
	Name    string `json:"name" enum:"small,padded,enlarged,same bytes,look-alike,animated,CMYK,transparent"`
	Measure string `json:"measure"`
}

// fileOf tells of a file what its facts and rights make of it now.
func fileOf(f store.File) File {
	of := rights.Rights{State: rights.State(f.Rights), Licence: f.Licence, Credit: f.Credit, Expires: f.Expires}
	_, heldBack := of.MayBeHandedOn(time.Now())
	told := File{File: f, HeldBack: heldBack, Marks: []MarkView{}}
	facts := picturespec.Facts{
		Width:         f.Width,
		Height:        f.Height,
		ContentWidth:  f.ContentWidth,
		ContentHeight: f.ContentHeight,
		Detail:        f.Detail,
		Frames:        f.Frames,
		Colour:        f.Colour,
		Alpha:         f.Alpha,
		Twin: picturespec.Twin{
			SamePath: f.SamePath, SameLot: f.SameLot,
			LikePath: f.LikePath, LikeLot: f.LikeLot, LikeBits: f.LikeBits, LikePixels: f.LikePixels,
		},
	}
	for _, name := range picturespec.Mark(f.MarkBits).Names() {
		told.Marks = append(told.Marks, MarkView{name, facts.Measure(picturespec.MarkOf(name))})
	}
	return told
}

func filesOf(rows []store.File) []File {
	files := make([]File, 0, len(rows))
	for _, f := range rows {
		files = append(files, fileOf(f))
	}
	return files
}
