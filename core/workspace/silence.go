package workspace

import (
	"ropeswing/core/finding"
	"ropeswing/core/plan"
)

// Expected is the silence that the plan expects of a device by its name: whether it does on a day, YYYY-MM-DD, and the last day of
// it, "" where that is not said.
func (w *Numbers) Expected(device, day string) (silent bool, until string) {
	for i := range w.Document.Devices {
		d := &w.Document.Devices[i]
		if d.Name.Value == device && d.Silent.Written() {
			return d.Until.Value == "" || day <= d.Until.Value, d.Until.Value
		}
	}
	return false, ""
}

// over are the devices that were expected to be silent until a day before.
func over(all []plan.Device, day string) []finding.Finding {
	var found []finding.Finding
	for i := range all {
		if d := &all[i]; d.Silent.Written() && d.Until.Written() && day > d.Until.Value {
			found = append(found, finding.New(finding.SilenceOver, d.Silent.Place, "%s was expected to be silent until %s, which is past",
				d.Name.Value, d.Until.Value).About(d.Name.Value).Mend("say until when now, or take 'expect' out"))
		}
	}
	return found
}
