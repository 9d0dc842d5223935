package draw

// Pair is two pictures side by side, such as before and after.
func Pair(title, about string, left, right *Sheet) *Sheet {
	const head = 48.0
	s := &Sheet{Title: title, About: about, Crossings: left.Crossings + right.Crossings}
	s.Width, s.Height = left.Width+right.Width, max(left.Height, right.Height)+head
	s.Texts = append(s.Texts, Text{X: 24, Y: 34, Text: title, Class: Strong, Bold: true}, Text{X: 24, Y: 52, Text: about, Class: Quiet})
	dx := 0.0
	for _, part := range []*Sheet{left, right} {
		for _, r := range part.Frames {
			r.X, r.Y = r.X+dx, r.Y+head
			s.Frames = append(s.Frames, r)
		}
		for _, r := range part.Rects {
			r.X, r.Y = r.X+dx, r.Y+head
			s.Rects = append(s.Rects, r)
		}
		for _, l := range part.Lines {
			for i := range l.Points {
				l.Points[i].X += dx
				l.Points[i].Y += head
			}
			s.Lines = append(s.Lines, l)
		}
		for _, x := range part.Texts {
			x.X, x.Y = x.X+dx, x.Y+head
			s.Texts = append(s.Texts, x)
		}
		dx += part.Width
	}
	s.Width = max(s.Width, wide(title, false)*1.02+48, wide(about, false)+48)
	return s
}
