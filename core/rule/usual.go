package rule

// Usual are the rules that a new desk comes with, switched off, to be adapted. They speak
// of no format, leg or person by name.
func Usual() []Rule {
	nobody := Cond{Field: "holder", Op: Is, Values: []string{"0"}}
	somebody := Cond{Field: "holder", Op: IsNot, Values: []string{"0"}}
	tell := func(words string, to ...string) Action { return Action{Do: Tell, To: to, Words: words} }
	return []Rule{
		{When: Begins, If: []Cond{nobody}, Then: []Action{{Do: Give, To: []string{ToRoom}}, tell("{leg} had nobody and went to {holder}, who has most room.", TellOwner)}},
		{When: DueIn, N: 1, If: []Cond{somebody}, Then: []Action{tell("{leg} is due {due}.", TellHolder)}},
		{When: Overdue, N: 1, If: []Cond{somebody}, Then: []Action{tell("{leg} was due {due}. What does it wait for?", TellHolder, TellOwner)}},
		{When: Overdue, N: 3, Then: []Action{{Do: SetField, Field: "priority", Value: "1"}, tell("{leg} is three working days over, with {holder}. The piece is {pace}.", TellLeads)}},
		{When: Quiet, N: 3, If: []Cond{somebody}, Then: []Action{tell("Nothing was recorded on {leg} for {days} working days. How far is it?", TellHolder)}},
		{When: Unanswered, N: 2, Then: []Action{tell("A query has waited {days} working days: {why}", TellAsked, TellOwner)}},
		{When: NoVerdict, N: 2, Then: []Action{tell("{leg} waits for a verdict since {days} working days; it is due {due}.", TellHolder, TellOwner)}},
		{When: SentBack, If: []Cond{{Field: "run", Op: AtLeast, Values: []string{"3"}}}, Then: []Action{tell("It came back to {leg} for the third time. Talk about it before the next round.", TellHolder, TellOwner)}},
		{When: Published, Then: []Action{tell("“{piece}” is out. Thank you for your part in it.", TellEverybody)}},
	}
}
