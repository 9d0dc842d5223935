package model

import (
	"errors"

	"ropeswing/core/plan"
)

// PermitOn reads a sentence as a permit of a device; own of what is for the device itself.
func PermitOn(doc *plan.Document, spec *Spec, d DeviceID, sentence string, own bool) (Permit, error) {
	r := sentenceReader(doc, spec)
	p, ok := r.permit(d, plan.Permit{Sentence: plan.Text{Value: sentence}}, own)
	return p, r.refusal(ok)
}

// TranslationOn reads a sentence as a translation of a device.
func TranslationOn(doc *plan.Document, spec *Spec, d DeviceID, sentence string) (Translation, error) {
	r := sentenceReader(doc, spec)
	t, ok := r.translation(d, plan.Text{Value: sentence})
	return t, r.refusal(ok)
}

func sentenceReader(doc *plan.Document, spec *Spec) *resolver {
	return &resolver{doc: doc, spec: spec, told: map[slip][]string{}}
}

func (r *resolver) refusal(ok bool) error {
	switch {
	case len(r.found) > 0:
		return errors.New(r.found[0].Reason)
	case !ok:
		return errors.New("it cannot be understood")
	}
	return nil
}
