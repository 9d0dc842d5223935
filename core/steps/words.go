package steps

import (
	"fmt"
	"slices"
	"strings"

	"ropeswing/core/compare"
	"ropeswing/core/model"
)

// Verb is what a set does with what is there.
type Verb uint8

const (
	Sets     Verb = iota // what is planned takes the place of whatever is there
	Adds                 // what is planned comes beside what is there
	Removes              // what was found goes, and what else is there stays
	Replaces             // what is planned takes the place of what was found, and what else is there stays
)

// String is the verb as worksheets have it.
func (v Verb) String() string { return [...]string{"set", "also", "remove", "replace"}[v] }

// Does is what a set does with what is there.
func (s *Set) Does() Verb {
	switch {
	case s.Helper == SetsBeside, s.Entry != "" && s.Found == "":
		return Adds
	case s.Helper == TakesAway, s.Entry != "", s.Planned == "":
		return Removes
	case s.Stays, s.Beside && s.Found == "":
		return Adds
	case s.Beside:
		return Replaces
	}
	return Sets
}

// What is what a step sets, in the plan's words; was is what it takes the place of, "" where there is nothing.
func (s *Set) What() (set, was string) {
	switch verb := s.Does(); {
	case verb == Adds && s.Entry != "":
		return "also " + s.entry(s.Planned) + ", " + s.Entry, ""
	case verb == Adds:
		return "also " + s.beside(s.Planned, s.Found), ""
	case verb == Replaces:
		return s.said(s.Planned) + " instead of " + s.Found, ""
	case verb == Removes && s.Entry != "":
		return "remove " + s.entry(s.Found), ""
	case verb == Removes && s.Helper == TakesAway:
		return "remove " + s.beside(s.Found, s.Planned) + ", and keep " + s.Planned, ""
	case verb == Removes:
		return "remove " + s.said(s.Found), ""
	case s.Found != "":
		was = s.said(s.Found)
	}
	return s.said(s.Planned), was
}

// TakeBack is how to undo it, in the plan's words.
func (s *Set) TakeBack() string {
	switch verb := s.Does(); {
	case verb == Adds && s.Entry != "":
		return "remove " + s.entry(s.Planned)
	case verb == Adds:
		return "remove " + s.beside(s.Planned, s.Found)
	case verb == Replaces && s.Difference.What == compare.OfAddress:
		found, from, moved := strings.Cut(s.Found, " on ")
		if !moved {
			return s.said(s.Found) + " instead of " + s.Planned
		}
		return fmt.Sprintf("%s address: %s instead of %s on %s", from, found, s.Planned, s.Subject)
	case verb == Replaces:
		return s.said(s.Found) + " instead of " + s.Planned
	case verb == Removes && s.Entry != "":
		return "also " + s.entry(s.Found) + ", " + s.Entry
	case verb == Removes && (s.Helper == TakesAway || s.Beside):
		return "also " + s.beside(s.Found, s.Planned)
	case s.Found == "":
		return "remove " + s.said(s.Planned)
	}
	return s.said(s.Found)
}

// beside is a value as the plan says it, as far as another does not have it: the VLANs of one list that are not in the
// other.
func (s *Set) beside(value, other string) string {
	if s.Difference.What != compare.OfVLAN || s.Helper == NoHelper {
		return s.said(value)
	}
	tagged := func(text string) []string {
		text, _, _ = strings.Cut(strings.TrimPrefix(text, "tagged "), ", untagged")
		return strings.Split(text, ", ")
	}
	there := tagged(other)
	return s.said("tagged " + strings.Join(slices.DeleteFunc(tagged(value), func(v string) bool { return slices.Contains(there, v) }), ", "))
}

// entry is one permit as the plan says it.
func (s *Set) entry(value string) string { return strings.TrimSuffix(s.Subject, "s") + " " + value }

// said is a value as the plan says it.
func (s *Set) said(value string) string {
	switch s.Difference.What {
	case compare.OfAdmin:
		return s.Subject + " admin: " + value
	case compare.OfVLAN:
		return s.Subject + " " + value
	case compare.OfRoute, compare.OfNextHop:
		return "route " + s.Subject + " " + value
	case compare.OfDistance, compare.OfMetric:
		value, by, _ := strings.Cut(value, ", ")
		if by != "" {
			by = " " + by
		}
		return fmt.Sprintf("route %s%s %s: %s", s.Subject, by, s.Difference.What, value)
	case compare.OfMembers:
		return s.Subject + " " + value
	case compare.OfInterface:
		return "interface " + s.Subject + ", a " + value
	case compare.OfPermit, compare.OfTranslation, compare.OfForwards, compare.OfAnswers,
		compare.OfNames, compare.OfTimes, compare.OfLogs:
		return s.Subject + ": " + value
	case compare.OfWatch:
		return "route " + s.Subject + " watch: " + value
	}
	return fmt.Sprintf("%s %s: %s", s.Subject, s.Difference.What, value)
}

// Look is how to see that it took: what a list of the device shows then.
func (s *Set) Look() string {
	switch s.Difference.What {
	case compare.OfWatch:
		if s.Planned == "" {
			return "its route " + s.Subject + " watches nothing"
		}
		return "its route " + s.Subject + " watches " + s.Planned
	case compare.OfRoute, compare.OfNextHop, compare.OfDistance, compare.OfMetric:
		switch {
		case s.Planned == "":
			return "its routes have none to " + s.Subject + " " + s.Found
		case s.Difference.What == compare.OfDistance || s.Difference.What == compare.OfMetric:
			return "its routes: " + s.said(s.Planned)
		}
		return "its routes: " + s.Subject + " " + s.Planned
	}
	switch {
	case s.Entry != "" && s.Planned == "":
		return "its " + s.Subject + " no longer have '" + s.Found + "'"
	case s.Entry != "":
		return "its " + s.Subject + " have '" + s.Planned + "', " + s.Entry
	case s.Difference.What == compare.OfPermit || s.Difference.What == compare.OfTranslation:
		return "its " + s.said(s.Planned)
	case s.Planned == "" && s.Difference.What == compare.OfInterface:
		return "its interfaces: " + s.Subject + " is gone"
	case s.Helper == SetsBeside && s.Difference.What == compare.OfVLAN:
		return "its interfaces: " + s.beside(s.Planned, s.Found) + " beside what was there"
	case s.Planned == "" || s.Helper == TakesAway:
		return "its interfaces: " + s.Subject + " no longer has " + s.Found
	case s.Helper == SetsBeside:
		return "its interfaces: " + s.Subject + " has " + s.Found + " and " + s.Planned
	}
	return "its interfaces: " + s.said(s.Planned)
}

// Words says how one reaches the device before the step.
func (l Login) Words(spec *model.Spec) string {
	text := "log in at " + l.Address.String()
	if l.By != "" {
		text += " by " + l.By
	}
	var through []string
	if len(l.Through) > 2 {
		for _, d := range l.Through[1 : len(l.Through)-1] {
			through = append(through, spec.Devices[d].Name)
		}
	}
	if len(through) > 0 {
		text += ", through " + strings.Join(through, ", ")
	}
	return text
}

// SessionWords says what becomes of the session.
func (s *Step) SessionWords() string {
	switch s.Session {
	case Local:
		return "you sit at it"
	case Unknown:
		return "not looked at"
	case Theirs:
		return "not yours: ask whoever runs it to"
	case Stays:
		return "stays"
	case Moves:
		if s.Then.Address == s.Login.Address && s.Then.Moving {
			return "ends: another port takes " + s.Then.Address.String() + " over; log in again there"
		}
		return "ends: log in again at " + s.Then.Address.String()
	case Ends:
		return "ends, and nothing of it answers: be at the console, or set a timer that takes the step back"
	}
	return "none: the device is not reached before this step; be at its console"
}

// FailsWords says what does not work while the step is in force.
func (s *Step) FailsWords() string {
	if !s.Judged {
		return "not looked at"
	}
	var parts []string
	for _, m := range s.Unmet {
		parts = append(parts, "'"+m+"'")
	}
	if s.Broken > 0 {
		parts = append(parts, fmt.Sprintf("%d pairs, such as %s to %s", s.Broken, s.First[0], s.First[1]))
		if s.Broken == 1 {
			parts[len(parts)-1] = s.First[0] + " to " + s.First[1]
		}
	}
	if len(parts) == 0 {
		return "nothing"
	}
	return strings.Join(parts, "; ")
}
