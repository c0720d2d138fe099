package demo

import "greenbaton/core/day"

// scripted is a piece whose way is written down, so that the demo shows every
// state a piece can be in. Deeds are "leg@n": the leg is passed n working days
// from the start; "back:leg<to@n" sends back, "save@n" writes, "open:leg@n"
// opens a leg, "give:leg=XX@n" gives it away, "tick:leg@n" ticks its first step.
type scripted struct {
	title, kind, channel string
	out                  day.Date // none for a piece without a day
	made                 int      // working days before the start
	deeds                string
	who                  string // "leg=XX" for holders other than usual; XX is -- for nobody
	needs                string // a leg that is skipped unless needed
	brief                string
}

var scripts = []scripted{
	{"The last tide mill on the Severn", "Feature", "", date(2026, 12, 3), 8, "brief@-7 draft@-2", "signoff=AB", "",
		"For readers who have never seen a mill work. Lead piece of the winter. Joan Arkell at Skelder Pill has said yes to pictures; the lease is in her drawer."},
	{"Rye, slowly", "Partner piece", "", date(2026, 11, 26), 14, "pitch@-12 draft@-8 edit@-6 back:yes<edit@-2 edit@-1 yes@-1", "", "",
		"Old Weir want the three-day rye in their own words. They read it before it goes."},
	{"Winter bread letter", "Letter", "", date(2026, 12, 1), 1, "", "", "", "The ovens are on again. One recipe, one mill, one date for the diary."},
	{"How a stone is dressed", "Feature", "", date(2026, 11, 30), 12, "brief@-11 save@-9 save@-4 save@-1", "draft=PV", "", "A day with Col Webb and two bills. Why it still takes a day."},
	{"Flour dust and lungs: what the miller knew", "Feature", "", date(2026, 11, 27), 16, "brief@-15 save@-12 save@-7 draft@-4 edit@-1 copyedit@0 open:pictures@0", "edit=AB", "", "The inquest of 1889, and what was in the sacks."},
	{"A baker’s year in twelve loaves", "Partner piece", "tern-school", date(2026, 12, 14), 12, "pitch@-11 draft@-6 edit@-4", "", "welsh", "For the school’s own readers, in both languages."},
	{"Six ovens, one village", "Feature", "", date(2026, 11, 25), 17, "brief@-16 draft@-11 edit@-9 copyedit@-7 pictures@-6 signoff@-4 release@-1", "draft=PV", "", "How Brindle Cross shares its heat."},
	{"The night boat to Skelder", "Feature", "", date(2026, 12, 10), 13, "brief@-12 save@-10 draft@-7 back:edit<draft@-6 save@-5 draft@-4 back:edit<draft@-3 save@-1", "draft=YL,edit=AB", "",
		"Grain came by water long after the railway. Find the last skipper’s family."},
	{"Millstone grit", "Feature", "", date(2026, 12, 9), 5, "brief@-4 save@-3 save@-1", "edit=AB", "", "Where the stones came from, and why France."},
	{"Spelt, a second look", "Recipe", "", date(2026, 12, 4), 0, "", "", "", "We got the hydration wrong in 2024. Say so, then bake it right."},
	{"Barley bannocks", "Recipe", "", date(2026, 12, 2), 3, "brief@-2 tick:bake@-1", "writeup=AB", "", "One griddle, no yeast, under an hour."},
	{"Soda bread four ways", "Recipe", "", date(2026, 12, 11), 6, "brief@-6 bake@-3 writeup@-1", "pictures=DF", "", "Four flours, one method."},
	{"Wholemeal at school", "Partner piece", "", date(2026, 12, 17), 4, "pitch@-3 save@-1", "", "", "What the co-op’s lunches taught the kitchen."},
	{"Three schools bake together", "Partner piece", "", 0, 2, "", "", "", "Needs Old Weir’s yes first."},
	{"Bolting cloth, thread by thread", "Feature", "", 0, 2, "", "draft=--", "", "Silk, sieves and the people who mended them."},
	{"The miller’s tithe", "Feature", "", 0, 4, "brief@-2", "draft=PV", "", "Every sixteenth cup. Who kept count?"},
	{"Sourdough after a flood", "Audio", "", 0, 3, "save@-1", "", "", "The starter was on the top shelf."},
	{"The night shift at Quern Street", "Audio", "", date(2026, 12, 10), 9, "save@-8 script@-5 record@-2 tick:cut@-1", "", "", "Two bakers, four ovens, no talking before five."},
	{"Bread without a mill", "Feature", "", date(2026, 11, 23), 18, "brief@-17 draft@-12 edit@-10 copyedit@-8 pictures@-8 signoff@-6 release@-5", "", "", "Roller flour, honestly."},
	{"Who owns the weir", "Feature", "", date(2026, 11, 20), 17, "brief@-16 save@-14 draft@-9 edit@-6 pictures@-4 copyedit@-3 signoff@-1", "draft=AB", "", "Three parishes, one deed, no agreement."},
	{"A letter from the grain fair", "Recipe", "", date(2026, 12, 7), 2, "", "brief=--", "", "What people carried home, and how to bake it."},
	{"Old Weir’s first harvest", "Partner piece", "", date(2026, 12, 10), 11, "pitch@-9 save@-7 draft@-4 edit@-2", "", "", "Twelve acres of emmer, and a combine borrowed from a cousin."},
}
