package standin

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"ropeswing/internal/yang"
	"slices"
	"strings"
	"sync"
	"time"
)

// Troubles are the kinds of trouble that a stand-in can make, with what each means.
var Troubles = map[string]string{
	"slow":   "every answer takes a second or two",
	"silent": "one answer in three does not come",
	"cut":    "one answer in four breaks off in its middle",
	"refuse": "every login is refused",
	"pieces": "answers come in small pieces",
	"clock":  "the clock is an hour and a half ahead",
	"plain":  "there is no candidate: what is edited runs at once",
	"deaf":   "while a change waits to be confirmed, nobody gets a session",
	"partly": "the same, and of two changes one is refused after part of it took effect",
}

// trouble is what a stand-in makes difficult, by a seed; nil makes none.
type trouble struct {
	kinds map[string]bool
	mutex sync.Mutex
	rand  *rand.Rand
}

// newTrouble reads kinds with commas between them.
func newTrouble(words string, seed uint64) (*trouble, error) {
	if words == "" {
		return nil, nil
	}
	t := &trouble{kinds: map[string]bool{}, rand: rand.New(rand.NewPCG(seed, 1))}
	for word := range strings.SplitSeq(words, ",") {
		if Troubles[word] == "" {
			all := slices.Sorted(maps.Keys(Troubles))
			return nil, fmt.Errorf("there is no trouble called %s; there are %s and %s", word, strings.Join(all[:len(all)-1], ", "),
				all[len(all)-1])
		}
		t.kinds[word] = true
	}
	return t, nil
}

// oneIn tells, by the seed, whether it is one of so many times.
func (t *trouble) oneIn(kind string, n int) bool {
	if t == nil || !t.kinds[kind] {
		return false
	}
	t.mutex.Lock()
	defer t.mutex.Unlock()
	return t.rand.IntN(n) == 0
}

func (t *trouble) silent() bool { return t.oneIn("silent", 3) }

// plain tells whether what runs is edited itself.
func (t *trouble) plain() bool { return t != nil && (t.kinds["plain"] || t.kinds["partly"]) }

// partly tells whether a change may take effect in part and be refused.
func (t *trouble) partly() bool { return t != nil && t.kinds["partly"] }

// deaf reports whether nobody gets a session now.
func (s *server) deaf() bool {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	return s.confirm != nil && s.trouble.deaf()
}

func (t *trouble) deaf() bool { return t != nil && t.kinds["deaf"] }

// part is a change as far as it takes effect before it is refused: the first of several things
// that stand beside one another, else all of it.
func part(change *yang.Node) *yang.Node {
	p := change.Copy()
	for at := p; len(at.Children) > 0; at = at.Children[0] {
		if len(at.Children) > 1 && at.Children[0].Name != at.Children[1].Name && len(at.Children[0].Children) == 0 {
			break // the key of an entry, and what is set on it
		}
		at.Children = at.Children[:1]
	}
	return p
}

// clock is what a stand-in's clock says.
func (t *trouble) clock() time.Time {
	if t != nil && t.kinds["clock"] {
		return time.Now().Add(90 * time.Minute)
	}
	return time.Now()
}

func (t *trouble) refuses() bool { return t != nil && t.kinds["refuse"] }

// wait takes its time, where it is slow.
func (t *trouble) wait(ctx context.Context) {
	if t == nil || !t.kinds["slow"] {
		return
	}
	t.mutex.Lock()
	d := time.Second + time.Duration(t.rand.IntN(1000))*time.Millisecond
	t.mutex.Unlock()
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

// cut is an answer, or now and then only the first half of it.
func (t *trouble) cut(answer []byte) []byte {
	if t.oneIn("cut", 4) {
		return answer[:len(answer)/2]
	}
	return answer
}
