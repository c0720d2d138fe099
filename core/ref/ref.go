// Package ref has the types of the numbers by which things are known: a piece, a person,
// a desk. Each thing has a type of its own, so that the number of a person cannot be put
// where that of a piece is asked for. The numbers are those of the rows in the data file,
// counted up from 1 for each kind; 0 stands for none, and none is below it.
//
// Where several kinds meet under one number (the values of a column, what a link is
// about) it is an int64, converted by name on both sides.
package ref

type (
	// Person is somebody who signs in, or is asked for something.
	Person int64
	// Partner is a house outside that agrees to pieces before they go out.
	Partner int64
	// Absence is a row of days off of somebody.
	Absence int64
	// Visit is somebody signed in on a device.
	Visit int64

	// Token is a key with which a program acts for somebody.
	Token int64

	// Receiver is a program elsewhere to which events are posted.
	Receiver int64

	// Desk is a publication with a calendar of its own.
	Desk int64
	// Channel is where pieces of a desk go out.
	Channel int64
	// Slot is a recurring day and time of a channel.
	Slot int64
	// Format is a kind of piece.
	Format int64
	// Route is one version of the way of a format.
	Route int64
	// Field is an extra field of a format.
	Field int64
	// Topic is what pieces are about.
	Topic int64
	// Campaign is a row of pieces for one purpose.
	Campaign int64
	// Regular is a piece that makes itself again and again.
	Regular int64
	// Measure is something that is counted of pieces.
	Measure int64
	// Aim is what a piece or a campaign is to reach.
	Aim int64
	// Outcome is how something did, as somebody says.
	Outcome int64
	// Goal is what a desk is to reach in a quarter.
	Goal int64
	// Rate is what a desk pays for work.
	Rate int64
	// Fee is what one leg of a piece comes to for one person.
	Fee int64
	// Statement is what somebody is owed for a month.
	Statement int64
	// Budget is what a desk may spend.
	Budget int64
	// Cost is something else that money was spent on.
	Cost int64
	// Rule is a house rule.
	Rule int64
	// View is a filter kept under a name.
	View int64
	// Calendar is an address at which a calendar program asks for what somebody sees.
	Calendar int64
	// Sketch is changes of the plan that somebody tries together.
	Sketch int64

	// Idea is what may become a piece.
	Idea int64
	// Form is how others ask for something.
	Form int64
	// Request is what somebody asked for.
	Request int64
	// Pitch is a piece offered to a partner.
	Pitch int64
	// Batch is a list that was brought in.
	Batch int64

	// OwnStep is a step of a piece or a campaign that belongs to no leg.
	OwnStep int64
	// Piece is one thing that will be published.
	Piece int64
	// Printing is a piece as readers get it, from a moment on.
	Printing int64
	// Delivery is a place where a piece goes, and how far it is there.
	Delivery int64
	// Subscriber is somebody to whom a desk sends letters.
	Subscriber int64
	// Letter is what is sent to many at once.
	Letter int64
	// Step is a line of a leg's checklist.
	Step int64
	// File is what was sent in: a picture, a document.
	File int64
	// Attachment is a file of a piece under a name, with its versions.
	Attachment int64
	// Candidate is a title or picture that was proposed.
	Candidate int64
	// Finding is a note or link of the research.
	Finding int64
	// Query is a question about a copy.
	Query int64
	// Answer is what somebody answered to a query.
	Answer int64
	// Reviewer is somebody asked for a verdict on a piece.
	Reviewer int64

	// Undo is something done that can be taken back.
	Undo int64
	// Item is a line of somebody's inbox.
	Item int64
	// Message is what goes out by mail, to a chat or to a channel.
	Message int64
)
