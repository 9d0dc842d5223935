package form

import (
	"slices"
	"strings"
	"unicode"
)

// secretWords are words behind which a secret stands, in texts of gear of any make.
var secretWords = []string{
	"password", "passwd", "passphrase", "secret", "key", "community", "token", "psk", "hash", "pin", "credential", "private", "keystring",
}

// hideSecrets blanks what looks like a secret in the lines learnt: it is never put into a form.
func (v *level) hideSecrets() {
	for _, d := range v.chosen {
		var atoms []Atom
		hidden := false
		for n, a := range d.Atoms {
			if !a.constant() {
				atoms = append(atoms, a)
				continue
			}
			some, hid := withoutSecrets(a.Text, n+1 < len(d.Atoms))
			if !hid {
				some = []Atom{a}
			}
			atoms, hidden = append(atoms, some...), hidden || hid
		}
		if hidden {
			d.Atoms, d.key, d.Guards, d.sure = atoms, spell(atoms, false), nil, true
			v.questions = append(v.questions, Question{Ask: Blanked, Line: d.key})
		}
	}
}

// withoutSecrets is a constant with what looks like a secret in it made a slot that reads anything; hid tells whether
// there was one. Followed is that a slot stands behind it.
func withoutSecrets(text string, followed bool) (atoms []Atom, hid bool) {
	words := strings.Fields(text)
	at := 0
	for n, w := range words {
		from := at + strings.Index(text[at:], w)
		at = from + len(w)
		bare := strings.ToLower(strings.TrimFunc(w, func(c rune) bool { return !unicode.IsLetter(c) && !unicode.IsDigit(c) }))
		name, value, pair := strings.Cut(w, "=")
		switch {
		case pair && len(value) > 0 && isSecretWord(strings.ToLower(name)):
			return hidden(text[:from+len(name)+1], text[at:]), true
		case n > 0 && random(w):
			return hidden(text[:from], text[at:]), true
		case isSecretWord(bare) && n+1 < len(words) && !followed:
			return hidden(text[:at]+" ", ""), true
		}
	}
	return nil, false
}

func hidden(before, after string) []Atom {
	all := []Atom{{Text: before}, {Any: true}}
	if after != "" {
		all = append(all, Atom{Text: after})
	}
	return all
}

func isSecretWord(word string) bool {
	return slices.ContainsFunc(secretWords, func(s string) bool {
		within := strings.HasSuffix(word, s) || strings.HasPrefix(word, s)
		return word == s || len(s) > 4 && within || strings.HasSuffix(word, "-"+s) || strings.HasPrefix(word, s+"-")
	})
}

// random tells whether a word looks as if it were made by chance: long, and of letters, digits and signs that change often.
func random(w string) bool {
	w = strings.Trim(w, `"';,`)
	if len(w) < 12 || len(addressesIn(w)) > 0 {
		return false
	}
	kind := func(c rune) int {
		switch {
		case unicode.IsLower(c):
			return 1
		case unicode.IsUpper(c):
			return 2
		case unicode.IsDigit(c):
			return 3
		}
		return 4
	}
	changes, last, kindsSeen := 0, 0, map[int]bool{}
	for _, c := range w {
		k := kind(c)
		kindsSeen[k] = true
		if last != 0 && k != last {
			changes++
		}
		last = k
	}
	return len(kindsSeen) > 2 && changes*3 >= len(w) || len(w) >= 24 && kindsSeen[3] && changes*4 >= len(w)
}
