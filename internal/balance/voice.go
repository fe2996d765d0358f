package balance

import (
	"context"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/core/speech"
	"ruvel/core/treat"
)

// Voice is what a track sounds like that is to be treated, and what could be done.
type Voice struct {
	Version   int64                         `json:"version" doc:"That it is of"`
	Spread    treat.Spread                  `json:"spread" doc:"Of its levels before its treatment, after its low cut"`
	Suggested LaidTreatment                 `json:"suggested" doc:"The treatment that it has, with gate and compressor set for this voice"`
	Starts    []LaidTreatment               `json:"starts" nullable:"false" doc:"Treatments to begin with, laid for this voice"`
	Without   float64                       `json:"without" doc:"LUFS without its treatment, before line, fader and pan; -120 if that cannot be measured or it has none"`
	With      float64                       `json:"with" doc:"LUFS with it"`
	Ordinary  map[session.Detector]audio.DB `json:"ordinary,omitempty" doc:"dBFS of ordinary speech as each detector sees it, to a tenth; left out if nobody speaks"`
}

// LaidTreatment is a treatment whose thresholds are laid for a voice.
type LaidTreatment struct {
	Key       string            `json:"key"`
	Name      string            `json:"name"`
	For       string            `json:"for" doc:"What it is for, in a sentence"`
	Why       string            `json:"why" doc:"Why its thresholds lie where they lie, in sentences"`
	Treatment session.Treatment `json:"treatment"`
}

// Voice is what a track of an episode sounds like, once it has a version, and what could be done.
func (b *Balancer) Voice(ctx context.Context, episode, track string, rev int64) (v Voice, err error) {
	p, err := b.Plans.Current(ctx, episode, rev)
	if err != nil {
		return v, err
	}
	defer p.Close()
	doc, version, err := b.Store.Document(ctx, episode)
	if err != nil {
		return v, err
	}
	i := doc.FindTrack(track)
	if i < 0 {
		return v, problem.New("unknown-track", "track", "That track is not in the session any more.")
	}
	if !p.Holds(track) { // it is muted, or others are soloed
		off, on := false, true
		heard, _, err := b.Plans.Tried(ctx, episode, edit.SetTracks{Tracks: []edit.TrackChange{{Track: track, Mute: &off, Solo: &on}}})
		if err != nil {
			return v, err
		}
		defer heard.Close()
		p = heard
	}
	v.Version = min(version, p.Version)
	plan := b.Turns.Plan(ctx, episode, p.Plan)
	if v.Spread, err = plan.Spread(track, func(sound string) ([]speech.Phrase, error) {
		return b.Sounds.Speech(ctx).Phrases(sound, doc.Sounds[sound].Sensitivity)
	}); err != nil {
		return v, err
	}
	v.Ordinary = v.Spread.Ordinary()
	if v.Without, v.With, err = plan.Treated(track); err != nil {
		return v, err
	}
	v.Suggested = LaidTreatment{Key: "suggested", Name: "Suggest", For: "Gate and compressor for this voice; the other stages stay as they are."}
	v.Suggested.Treatment, v.Suggested.Why = treat.Suggest(doc.Tracks[i].Treatment, v.Spread)
	v.Starts = []LaidTreatment{}
	for _, start := range treat.Starts() {
		laid := LaidTreatment{Key: start.Key, Name: start.Name, For: start.For}
		laid.Treatment, laid.Why = start.Lay(v.Spread)
		v.Starts = append(v.Starts, laid)
	}
	return v, nil
}
