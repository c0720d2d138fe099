package demo

import (
	"math/rand/v2"
	"strings"

	"greenbaton/core/copy"
)

var places = []string{
	"Skelder Pill", "Harrow Ford", "Tansy Bridge", "Low Marrick", "Cobbin Weir", "Pennet Lock", "Ashlade", "Upper Tarn", "Dunnock Mill", "Wyke End",
	"Brindle Cross", "St Aldan’s", "Merrow Sands", "Nether Olding", "Kell Beck", "Rushy Leat", "Hobbs’ Mill", "Llan Eirin", "Great Sallow", "Oatley Gap",
	"Fenner’s Race", "Three Sluices", "Corran Mouth", "Whin Hill", "Long Barrow Farm", "Teasel Row", "Quern Street", "Sandal Bank", "Ember Lane", "Pike’s Reach",
}

var angles = []string{
	"A week at %", "What the river left at %", "The wheel turns again at %", "Inside the stones at %", "Who pays for the weir at %", "The last sacks from %",
	"Night shift at %", "A bakery opens at %",
}

var grains = []string{"Spelt", "Rye", "Emmer", "Einkorn", "Barley", "Oat", "Buckwheat", "Maslin", "Wholemeal", "Heritage wheat"}

var bakes = []string{"bannocks", "crackers", "tin loaf", "soda bread", "griddle cakes", "breakfast rolls", "sour sponge", "short pastry", "porridge bread"}

var talks = []string{"Listening to %", "The sound of %", "Voices from %", "An hour at %"}

var lessons = []string{"Three schools bake at %", "Flour for a term: %", "The co-op at %", "What children ask at %", "A kitchen for %"}

var sentences = []string{
	"The sluice is older than the road, and the road is older than anybody’s memory of it.",
	"Flour leaves the stones warm, and a good miller knows by the back of the hand how warm.",
	"Nobody here says efficient; they say it goes, or it doesn’t.",
	"The stones are dressed every three hundred hours, with a bill in each hand and the radio on.",
	"In the books of 1831 a sack is a sack, and nobody thought to write down what it weighed.",
	"The baker takes forty kilos on Monday and says what was wrong with them on Tuesday.",
	"Water comes down the leat at walking pace and leaves the wheel a little slower.",
	"There is a word for the dust on the beams, and there are rules about it now.",
	"Rye does what it likes, and the dough tells you an hour too late.",
	"She learned it from a man who learned it from his aunt, and the aunt is not in any of the histories.",
	"The co-op meets in the old kiln because it is the only room that is dry in February.",
	"Every loaf in the picture came out of one oven on one morning.",
	"A field of emmer is taller than the fence and lies down in the first storm of August.",
	"What the mill needs is not visitors but customers, and they park in different places.",
	"The ledger stops in May, in the middle of a line, and begins again in another hand.",
	"It takes two people to lift the runner stone and one to say when.",
	"The inspector comes once a year and is given bread.",
	"We weighed it three times and wrote down the middle one.",
	"By four in the morning the first batch has its second rise and the street its first bicycle.",
	"The bolting cloth is silk, and it is the only thing in the building that is treated gently.",
	"Nothing in a tide mill happens when it suits you.",
	"He keeps the broken paddles, numbered, in case somebody should ask.",
	"Half of the weir belongs to a family that moved away in 1911.",
	"The smell is toast and wet oak.",
	"A stone that is too cold makes flour that will not take water, and one too hot makes flour that will not keep.",
}

var headings = []string{"How it began", "What the water does", "The work of a morning", "Who buys it", "What it costs", "What comes next"}

// text writes a copy of at least so many words.
func text(r *rand.Rand, words int) copy.Text {
	t := copy.Text{}
	n := 0
	for i := 0; n < words; i++ {
		if i%3 == 0 && i/3 < len(headings) && words > 300 {
			t = append(t, copy.Op{Insert: headings[i/3]}, copy.Op{Insert: "\n", Attributes: copy.Set("header", 2)})
		}
		var para []string
		for range 4 + r.IntN(3) {
			para = append(para, sentences[r.IntN(len(sentences))])
		}
		s := strings.Join(para, " ")
		n += len(strings.Fields(s))
		t = append(t, copy.Op{Insert: s + "\n"})
	}
	return t
}

// tideMill is the beginning of the piece that the tour opens.
func tideMill(r *rand.Rand, words int) copy.Text {
	italic, quote := copy.Set("italic", true), copy.Set("blockquote", true)
	t := copy.Text{
		{Insert: "Twice a day the river does the lifting"}, {Insert: "\n", Attributes: copy.Set("header", 2)},
		{Insert: "At Skelder Pill the sluice has been shut since 1747 by whoever holds the lease, an hour after high water. The pond behind it stays full while the river drops, and by the time the mud shows there is a head of seven feet waiting.\n"},
		{Insert: "Joan Arkell opens it with her boot. “You don’t fight it,” she says. “You let it want to go, and you stand there.”\n"},
		{Insert: "The wheel takes a breath before it turns. It is the only moment in the day when the building is quiet, and she has learned to "},
		{Insert: "listen", Attributes: italic}, {Insert: " for the second breath, the one that means a paddle is loose.\n"},
		{Insert: "Nothing in a tide mill happens when it suits you."}, {Insert: "\n", Attributes: quote},
	}
	return append(t, text(r, words-t.Words())...)
}
