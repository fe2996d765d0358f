package testkit

import (
	"fmt"

	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Library is a few short noises that random sessions are cut from: two mono, two stereo.
type Library map[string]audio.PCM

// NewLibrary makes the noises.
func NewLibrary() Library {
	l := Library{}
	for i, channels := range []int{1, 1, 2, 2} {
		l[ID(i)] = Noise(channels, 0.3, audio.Frames(20000+7000*i), uint64(i))
	}
	return l
}

// ID is a well-formed sound id for a number.
func ID(n int) string { return fmt.Sprintf("%064x", n+1) }

// Sounds gives a sound's samples, as core/mix asks for them.
func (l Library) Sounds(id string) (audio.PCM, error) {
	if p, ok := l[id]; ok {
		return p, nil
	}
	return nil, fmt.Errorf("no sound %s", id)
}

// Catalogue gives a sound's facts, as core/edit asks for them.
func (l Library) Catalogue(id string) (session.Sound, bool) {
	p, ok := l[id]
	return session.Sound{Channels: len(p), Length: p.Length()}, ok
}

// Session draws a valid session of up to four tracks from the library.
func (l Library) Session(t *rapid.T) session.Document {
	d := session.New()
	for i := range rapid.IntRange(1, 4).Draw(t, "tracks") {
		track := session.Track{
			ID: fmt.Sprintf("t%d", d.Next), Name: fmt.Sprintf("Track %d", i),
			Part:  rapid.SampledFrom([]session.Part{session.Voice, session.Music, session.Effect}).Draw(t, "part"),
			Fader: level(t, "fader"), Pan: rapid.Float64Range(-1, 1).Draw(t, "pan"),
			Mute: rapid.IntRange(0, 5).Draw(t, "mute") == 0, Solo: rapid.IntRange(0, 5).Draw(t, "solo") == 0,
			Envelope: points(t, 60000), Clips: map[string]session.Clip{},
		}
		d.Next++
		for range rapid.IntRange(0, 3).Draw(t, "clips") {
			track.Clips[fmt.Sprintf("c%d", d.Next)] = l.clip(t, d)
			d.Next++
		}
		cross(t, track)
		d.Tracks = append(d.Tracks, track)
	}
	d.Settle()
	return d
}

func (l Library) clip(t *rapid.T, d session.Document) session.Clip {
	id := ID(rapid.IntRange(0, len(l)-1).Draw(t, "sound"))
	sound, _ := l.Catalogue(id)
	d.Sounds[id] = sound
	offset := rapid.Int64Range(0, int64(sound.Length)-10).Draw(t, "offset")
	length := rapid.Int64Range(1, int64(sound.Length)-offset).Draw(t, "length")
	return session.Clip{
		Name: "Clip", Sound: id, Start: frames(t, "start", 50000), Offset: audio.Frames(offset), Length: audio.Frames(length),
		Gain: level(t, "gain"), FadeIn: fadeOf(t), FadeOut: fadeOf(t), Envelope: points(t, int64(sound.Length)),
		Hushed: hushed(t, int64(sound.Length)), Silent: rapid.IntRange(0, 9).Draw(t, "made silent") == 0,
	}
}

// cross lets clips of a track take over from each other where no more than two overlap.
func cross(t *rapid.T, track session.Track) {
	if crowded, _ := track.Crowded(); crowded > 0 {
		return
	}
	for _, o := range track.Overlaps() {
		c := track.Clips[o.In]
		c.Crossing = rapid.SampledFrom([]session.Law{session.LaidOver, session.CrossGain, session.CrossPower}).Draw(t, "law")
		track.Clips[o.In] = c
	}
}

func frames(t *rapid.T, name string, high int64) audio.Frames {
	return audio.Frames(rapid.Int64Range(0, high).Draw(t, name))
}

func level(t *rapid.T, name string) audio.DB {
	if rapid.IntRange(0, 9).Draw(t, name+" silent") == 0 {
		return audio.Silence
	}
	return audio.DB(rapid.Float64Range(-70, 12).Draw(t, name))
}

func fadeOf(t *rapid.T) session.Fade {
	f := session.Fade{Shape: rapid.SampledFrom([]session.Shape{session.Linear, session.EqualPower, session.Smooth, session.Exponential}).Draw(t, "shape")}
	if rapid.Bool().Draw(t, "fade") {
		f.Length = frames(t, "fade length", 20000)
		f.Past = audio.Frames(rapid.Int64Range(0, int64(f.Length)).Draw(t, "past"))
	}
	return f
}

func points(t *rapid.T, high int64) []session.Point {
	out := []session.Point{}
	at := audio.Frames(-1)
	for range rapid.IntRange(0, 5).Draw(t, "points") {
		at += 1 + frames(t, "gap", high/4)
		out = append(out, session.Point{At: at, Level: level(t, "level"), Bend: bend(t)})
	}
	return out
}

func bend(t *rapid.T) float64 {
	if rapid.Bool().Draw(t, "straight") {
		return 0
	}
	return rapid.Float64Range(-1, 1).Draw(t, "bend")
}

// hushed are silenced stretches of a sound, often none.
func hushed(t *rapid.T, high int64) []session.Span {
	var out []session.Span
	at := audio.Frames(0)
	for range rapid.SampledFrom([]int{0, 0, 1, 2}).Draw(t, "hushed") {
		from := at + frames(t, "from", high/3)
		at = from + 1 + frames(t, "silenced", high/3)
		out = append(out, session.Span{From: from, To: at})
		at++
	}
	return out
}
