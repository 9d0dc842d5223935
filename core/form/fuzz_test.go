package form_test

import (
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"ropeswing/core/coretest"
	"ropeswing/core/form"
)

// Texts that are half another's, cut, shuffled or with letters changed are learnt from, or refused, without a panic and
// in little time; what is learnt is a form.
func TestDamagedTextsAreLearntFromOrRefused(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 37))
	all := examples(t, randomPlan(5))
	for range coretest.Cases(40, 300) {
		l, x, y := languages[r.IntN(len(languages))], all[r.IntN(len(all))], all[r.IntN(len(all))]
		lines := strings.Split(l.written(x.d, x.names), "\n")
		other := strings.Split(languages[r.IntN(len(languages))].written(y.d, y.names), "\n")
		switch r.IntN(5) {
		case 0:
			lines = lines[:r.IntN(len(lines)+1)]
		case 1:
			lines = append(lines[:len(lines)/2], other[r.IntN(len(other)):]...)
		case 2:
			r.Shuffle(len(lines), func(i, j int) { lines[i], lines[j] = lines[j], lines[i] })
		case 3:
			for n := range lines {
				lines[n] = strings.TrimLeft(lines[n], " ")
			}
		case 4:
			for range 1 + r.IntN(20) {
				n := r.IntN(len(lines))
				b := []byte(lines[n])
				if len(b) > 0 {
					b[r.IntN(len(b))] = "{}[]\\ \t:\"#x0"[r.IntN(12)]
				}
				lines[n] = string(b)
			}
		}
		text := strings.Join(lines, "\n")
		start := time.Now()
		got, err := form.Learn("damaged", []form.Example{{Device: form.Of(x.d, x.names), Text: text}})
		if err == nil {
			_, err = form.Parse(got.Form.Text())
			assert.NoError(t, err, got.Form.Text())
			got.Form.Try(form.Of(x.d, x.names), text)
			got.Form.Read(strings.Join(other, "\n"), "other").Observed()
		} else {
			var none *form.NothingToLearn
			assert.ErrorAs(t, err, &none, "%s: %s", l.name, text)
		}
		form.Alone("x", text)
		assert.Less(t, time.Since(start), 5*time.Second, l.name)
	}
}
