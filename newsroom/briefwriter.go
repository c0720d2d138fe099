package newsroom

import (
	"context"

	"greenbaton/core/brief"
)

// BriefWriter drafts a brief for a person to correct.
type BriefWriter interface {
	// WriteBrief gives a draft; what it cannot say it leaves out.
	WriteBrief(ctx context.Context, ask BriefAsk) (BriefDraft, error)
}

// BriefAsk is what a brief writer is told.
type BriefAsk struct {
	Title    string      `json:"title"`
	Format   string      `json:"format"`
	Notes    []string    `json:"notes"`   // what is said of the piece so far, and its research
	Phrases  []string    `json:"phrases"` // search phrases
	Like     []LikePiece `json:"like"`
	Parts    []string    `json:"parts"`    // the keys of the parts that the format asks for, as in package brief
	Sections []string    `json:"sections"` // the headings of the outline of the format
}

// LikePiece is a piece like the one that a brief is written for.
type LikePiece struct {
	Number int    `json:"number"`
	Title  string `json:"title"`
	Out    bool   `json:"out"` // it is published
}

// BriefDraft is a brief to be corrected.
type BriefDraft struct {
	About   string            `json:"about"`
	Answers map[string]string `json:"answers"` // by part
	Outline brief.Outline     `json:"outline"`
	Says    string            `json:"-"` // from what it was drafted
}
