package form

// Variety is how many different things a device has to show: the device with the most is the one to learn from first.
func (t *Thing) Variety() int {
	shown := map[string]bool{}
	for _, x := range t.everything() {
		for name, v := range x.V {
			f := factNamed(x.Kind, name)
			if f == nil {
				continue
			}
			at := x.Kind.String() + " " + name
			shown[at] = true
			switch {
			case f.Type == Words:
				shown[at+" "+v] = true
				if family := x.V["family"]; family != "" {
					shown[at+" "+v+" "+family] = true
				}
			case f.Unset != "":
				shown[at+" "+yesNo(v == f.Unset)] = true
			case f.Type == Names || f.Type == Numbers:
				all := listOf(v)
				shown[at+" "+number(min(len(all), 3))] = true
				if len(all) > 2 && (listShape{with: ",", runs: "-"}).write(all) != (listShape{with: ","}).write(all) {
					shown[at+" run"] = true
				}
			}
		}
	}
	return len(shown)
}
