package edit

import (
	"cmp"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// Fragment is what has been copied of a session, to be pasted there or elsewhere.
type Fragment struct {
	Length audio.Frames `json:"length" doc:"From its beginning to its end, in frames"`
	Rows   []Row        `json:"rows" nullable:"false" maxItems:"64"`
}

// Row is what has been copied of one track.
type Row struct {
	Below int            `json:"below" minimum:"0" maximum:"63" doc:"How many tracks below the first row"`
	Name  string         `json:"name" maxLength:"200" doc:"Of its track"`
	Part  session.Part   `json:"part" enum:"voice,music,effect"`
	Clips []session.Clip `json:"clips" nullable:"false" maxItems:"5000" doc:"With starts from the fragment's beginning"`
}

// Copying says what is copied: clips, or what tracks have in a stretch of time, or what
// clips have in it. A clip that reaches out of the stretch is copied as far as it lies inside.
type Copying struct {
	Clips  []string `json:"clips,omitempty" maxItems:"5000"`
	Range  *Range   `json:"range,omitempty"`
	Tracks []string `json:"tracks,omitempty" maxItems:"64" doc:"Left out: all, if no clips are named"`
}

// Copy takes a fragment out of a document, which stays as it is.
func Copy(doc session.Document, what Copying) (Fragment, error) {
	span := Range{To: session.MaxLength}
	if what.Range != nil {
		span = *what.Range
		if span.From < 0 || span.To <= span.From || span.To > session.MaxLength {
			return Fragment{}, problem.New("bad-range", "range", "A stretch that is to be copied begins at 0 or later and ends after it begins.")
		}
	} else if len(what.Clips) == 0 {
		return Fragment{}, chosen(what.Clips, "clips")
	}
	var rows []Row
	named := make(map[string]bool, len(what.Clips))
	for _, id := range what.Clips {
		named[id] = true
	}
	top := -1
	for i, t := range doc.Tracks {
		row := Row{Name: t.Name, Part: t.Part}
		for _, id := range t.ClipsInOrder() {
			if len(what.Clips) > 0 && !named[id] || len(what.Tracks) > 0 && !slices.Contains(what.Tracks, t.ID) {
				continue
			}
			if c, some := within(t.Clips[id], span); some {
				row.Clips = append(row.Clips, c)
			}
		}
		if len(row.Clips) == 0 {
			continue
		}
		if top < 0 {
			top = i
		}
		row.Below = i - top
		rows = append(rows, row)
	}
	if len(rows) == 0 {
		return Fragment{}, problem.New("nothing-there", "clips", "There is nothing to copy there.")
	}
	f := Fragment{Rows: rows}
	begin, end := span.From, span.To
	if what.Range == nil {
		begin, end = session.MaxLength, 0
		for _, r := range rows {
			begin = min(begin, r.Clips[0].Start)
			for _, c := range r.Clips {
				end = max(end, c.End())
			}
		}
	}
	f.Length = end - begin
	for _, r := range rows {
		for i := range r.Clips {
			r.Clips[i].Start -= begin
		}
	}
	return f, nil
}

// within is the part of a clip that lies inside a stretch of time.
func within(c session.Clip, r Range) (session.Clip, bool) {
	if c.Start >= r.To || c.End() <= r.From {
		return c, false
	}
	if c.Start < r.From {
		_, c = split(c, r.From-c.Start)
	}
	if c.End() > r.To {
		c, _ = split(c, r.To-c.Start)
	}
	return c, true
}

// PasteClips puts a fragment at a time, its first row on a track and the others below it
// as they were; where there are no such tracks, on new ones.
type PasteClips struct {
	Kind
	At    audio.Frames `json:"at"`
	Track string       `json:"track,omitempty" doc:"Left out: the first track of the first row's part, or a new one"`
	Fragment
	MakeRoom bool `json:"makeRoom,omitempty" doc:"What follows on these tracks moves later by the fragment's length, instead of being laid over"`
}

func (o PasteClips) apply(d *draft) (string, error) {
	if err := chosen(o.Rows, "rows"); err != nil {
		return "", err
	}
	if o.At < 0 {
		return "", problem.New("negative-time", "at", "Nothing can be pasted before the beginning of the session.")
	}
	rows := slices.Clone(o.Rows)
	slices.SortStableFunc(rows, func(a, b Row) int { return cmp.Compare(a.Below, b.Below) })
	n := 0
	for _, r := range rows {
		if r.Below < 0 || r.Below >= session.MaxTracks {
			return "", problem.New("bad-edit", "op.rows.below", "A row lies 0 to %d tracks below the first one.", session.MaxTracks-1)
		}
		n += len(r.Clips)
	}
	if err := d.fits(n, 0); err != nil {
		return "", err
	}
	first := d.firstRow(o.Track, rows[0])
	if first != "" && d.FindTrack(first) < 0 {
		return "", noTrack()
	}
	var name string
	for k, r := range rows {
		t, err := d.rowTrack(o.Track, first, k, r)
		if err != nil {
			return "", err
		}
		if o.MakeRoom && o.Length > 0 {
			if err := d.cut(t, o.At); err != nil {
				return "", err
			}
			shift(t, o.At, o.Length)
		}
		for _, c := range r.Clips {
			if _, err := d.bring(c.Sound); err != nil {
				return "", err
			}
			if c.Envelope == nil {
				c.Envelope = []session.Point{}
			}
			c.Start += o.At
			if _, err := d.add(t, c); err != nil {
				return "", err
			}
			name = "Paste " + quote(c.Name) + " at " + o.At.String()
		}
		if o.MakeRoom {
			d.seam(t, o.At, JoinLength)
			d.seam(t, o.At+o.Length, JoinLength)
		}
	}
	if n == 0 {
		return "", problem.New("nothing-there", "rows", "There is nothing to paste.")
	}
	return oneOrMany(n, name, "Paste", "clip"), nil
}

// firstRow is the id of the track for the first row if there is one, or empty.
func (d *draft) firstRow(track string, r Row) string {
	if track != "" {
		return track
	}
	for _, t := range d.Tracks {
		if t.Part == r.Part {
			return t.ID
		}
	}
	return ""
}

// rowTrack is the track that a row is pasted on.
func (d *draft) rowTrack(wanted, first string, k int, r Row) (*session.Track, error) {
	if k == 0 && first != "" {
		return d.track(first)
	}
	if first != "" {
		if i := d.FindTrack(first) + r.Below; i < len(d.Tracks) && d.Tracks[i].Part == r.Part && (wanted == "" || i > d.FindTrack(first)) {
			return &d.Tracks[i], nil
		}
	}
	return d.addTrack(r.Part, r.Name)
}

// Restore puts another document in the place of the one that there is.
type Restore struct {
	Kind
	Document session.Document `json:"-"`
	Name     string           `json:"-"`
}

func (o Restore) apply(d *draft) (string, error) {
	next := d.Next
	d.Document = o.Document.Draft()
	d.Next = max(next, d.Next)
	return "Return to " + quote(o.Name), nil
}

// Sounds are the ids of the sounds of a fragment.
func (f Fragment) Sounds() (out []string) {
	seen := map[string]bool{}
	for _, r := range f.Rows {
		for _, c := range r.Clips {
			if !seen[c.Sound] {
				seen[c.Sound] = true
				out = append(out, c.Sound)
			}
		}
	}
	return out
}
