package finding

// Stage is when a finding comes up.
type Stage uint8

const (
	Reading  Stage = iota // the plan cannot be used until it is mended
	Checking              // the plan is understood, and something in it is wrong or doubtful
	Walking               // a ping or trace does not get where it should, for this reason
)

func (s Stage) String() string {
	return [...]string{"reading the plan", "checking the plan", "following a packet"}[s]
}

// Entry is what the catalogue says of one kind of finding.
type Entry struct {
	Name     Name
	Severity Severity
	Stage    Stage
	Means    string // what it is, in one sentence
	Why      string // why it matters, and how it comes about
	Remedy   string // what to do
	// Example is the smallest plan that shows this finding and no other.
	Example string
	Ledger  string // beside it, where the finding is about one
	// Ping is, for the Walking stage, the two ends of the ping that shows it.
	Ping  [2]string
	TTL   int // of that ping, where it is not the usual one
	Size  int // its payload in bytes, where that matters; Whole: not to be fragmented
	Whole bool
}

// Catalogue is every kind of finding, by stage and then in the order in which
// they are likely to be met. It belongs to the package.
func Catalogue() []Entry { return catalogue[:] }

// Lookup is the entry of a name. A name that is in no entry gets one of
// severity error, so that nothing is hidden by a slip in this program.
func Lookup(n Name) Entry {
	for i := range catalogue {
		if catalogue[i].Name == n {
			return catalogue[i]
		}
	}
	return Entry{Name: n, Severity: Error}
}

// Names lists every name in the catalogue.
func Names() []string {
	names := make([]string, len(catalogue))
	for i := range catalogue {
		names[i] = string(catalogue[i].Name)
	}
	return names
}

// Judged tells whether a packet ends for a permit or a translation, not for want
// of a way.
func (n Name) Judged() bool {
	switch n {
	case FilteredOut, RefusedByPermit, StateUnknown, NoAddressLeft, ReplyFromElsewhere:
		return true
	}
	return false
}
