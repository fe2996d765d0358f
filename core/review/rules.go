package review

import (
	"fmt"
	"math"
	"reflect"
	"slices"

	"ruvel/core/problem"
)

// Bounds are the values beyond which a review mentions something. The loudness and the true peak that are
// asked for are those of the delivery target, the voice lead is that of the session.
type Bounds struct {
	Covered     float64 `json:"covered" minimum:"0.5" maximum:"10" doc:"Seconds for which speech may be covered"`
	Ramp        float64 `json:"ramp" minimum:"1" maximum:"24" doc:"dB by which what lies under speech may move within its first or last half second"`
	Range       float64 `json:"range" minimum:"3" maximum:"30" doc:"LU of loudness range"`
	Apart       float64 `json:"apart" minimum:"1" maximum:"20" doc:"LU by which speakers may be apart"`
	Drift       float64 `json:"drift" minimum:"1" maximum:"20" doc:"LU by which one speaker may drift"`
	Quiet       float64 `json:"quiet" minimum:"20" maximum:"60" doc:"LU below the loudness of the show under which nothing is heard"`
	DeadInside  float64 `json:"deadInside" minimum:"0.5" maximum:"60" doc:"Seconds of that inside the show"`
	DeadBefore  float64 `json:"deadBefore" minimum:"0.1" maximum:"60" doc:"Seconds of that before it starts"`
	DeadAfter   float64 `json:"deadAfter" minimum:"0.5" maximum:"60" doc:"Seconds of that after its end"`
	Click       float64 `json:"click" minimum:"-70" maximum:"-10" doc:"dBFS of a step in the sound"`
	Background  float64 `json:"background" minimum:"3" maximum:"30" doc:"dB by which the background may jump at a join"`
	OneSided    float64 `json:"oneSided" minimum:"12" maximum:"90" doc:"dB by which one side of a recording may be softer than the other"`
	Noise       float64 `json:"noise" minimum:"6" maximum:"60" doc:"LU that speech stands above its own floor at least"`
	Hum         float64 `json:"hum" minimum:"10" maximum:"80" doc:"dB that speech stands above mains hum at least"`
	FlatSamples float64 `json:"flatSamples" minimum:"2" maximum:"100" doc:"Samples at the full scale of a recording, one after the other"`
}

// Usual are the limits of a show that has set none.
func Usual() Bounds {
	return Bounds{
		Covered: 0.5, Ramp: 3, Range: 12, Apart: 3, Drift: 4, Quiet: 40, DeadInside: 2, DeadBefore: 0.5, DeadAfter: 3,
		Click: -40, Background: 6, OneSided: 40, Noise: 30, Hum: 45, FlatSamples: 3,
	}
}

// Check says which limit is out of its range, by the tags that say so.
func (l Bounds) Check() error {
	v := reflect.ValueOf(l)
	for i := range v.NumField() {
		var low, high float64
		tag := v.Type().Field(i).Tag
		if _, err := fmt.Sscan(tag.Get("minimum")+" "+tag.Get("maximum"), &low, &high); err != nil {
			return fmt.Errorf("review: the range of %s: %w", v.Type().Field(i).Name, err)
		}
		if x := v.Field(i).Float(); !(x >= low && x <= high) || math.IsInf(x, 0) {
			return problem.New("limit-out-of-range", "limits."+tag.Get("json"), "The limit %s goes from %g to %g; %g does not lie there.", tag.Get("json"), low, high, x)
		}
	}
	return nil
}

// Rule finds one kind of thing.
type Rule struct {
	Kind   string `json:"kind"`
	Name   string `json:"name" doc:"What is wrong, in two or three words"`
	Why    string `json:"why" doc:"Why it matters to a listener"`
	Limit  string `json:"limit" doc:"When it is mentioned"`
	Source string `json:"source" doc:"Where that limit comes from"`

	heard bool // it needs the sounds
	mixed bool // it needs the measured mix
	find  func(*reader) []Finding
}

const practice = "common practice"

// Rules lists all rules.
func Rules() []Rule { return slices.Concat(ofTheMix(), ofClips(), ofTheSession()) }

// ofTheMix are about what is heard of all of it together.
func ofTheMix() []Rule {
	return []Rule{
		{
			"covered", "Speech is covered", "Who hears it on a train or with one ear loses the words.",
			"The voice lead is under its aim, by more than speech swings, for half a second or more", "WCAG 2.2 SC 1.4.7 for 20 LU; 10 and 15 LU " + practice, true, true, (*reader).covered,
		},
		{
			"ramp", "A ramp under speech", "A first or last syllable that music runs over is the one that is not understood.",
			"What lies under speech moves by more than 3 dB within its first or last half second", practice, true, true, (*reader).ramps,
		},
		{
			"true-peak", "Over the ceiling", "Players and encoders clip what lies over the ceiling; it crackles.",
			"The true peak is over that of the delivery target", "ITU-R BS.1770-4, EBU R 128", true, true, (*reader).truePeak,
		},
		{
			"clipped", "A clipped recording", "What was cut off when it was recorded crackles, however soft it is made.",
			"Three or more samples in a row at the full scale of the recording", practice, true, false, (*reader).clipped,
		},
		{
			"loudness", "Off the target", "A file that is too loud or too soft is turned down, turned up or refused.",
			"The loudness differs from the delivery target by more than its tolerance", "the delivery target", true, true, (*reader).loudness,
		},
		{
			"range", "A wide range", "Where soft and loud are far apart, a listener keeps turning the volume.",
			"The loudness range is over 12 LU", "EBU Tech 3342 for the measure; the limit is " + practice, true, true, (*reader).wideRange,
		},
		{
			"apart", "Uneven speakers", "A listener turns the volume up for one speaker and is startled by the next.",
			"Speakers are more than 3 LU apart", practice, true, true, (*reader).apart,
		},
		{
			"drift", "A speaker drifts", "Words that drop away are missed.",
			"A speaker is more than 4 LU off their own level for some seconds", practice, true, true, (*reader).drift,
		},
		{
			"dead-air", "Dead air", "A listener takes it for the end, or for a fault.",
			"Nothing within 40 LU of the show for over 2 s inside it, 0.5 s before it or 3 s after it", practice, true, true, (*reader).deadAir,
		},
	}
}

// ofClips are about single recordings, and how clips begin, end and meet.
func ofClips() []Rule {
	return []Rule{
		{
			"abrupt", "An abrupt edge", "It clicks, or sounds as if something was torn off.",
			"A clip begins or ends in the middle of its sound, or with a step above −40 dBFS, without a fade", practice, true, false, (*reader).abrupt,
		},
		{
			"join", "A hard join", "The cut is heard: a click, or a room that changes.",
			"A step above −40 dBFS, or a background that jumps by more than 6 dB, where two clips meet", practice, true, false, (*reader).joins,
		},
		{
			"one-sided", "Sound on one side", "With one earpiece, or on a loudspeaker that plays that side alone, it is gone.",
			"One side of a recording in stereo is 40 dB softer than the other", practice, true, false, (*reader).oneSided,
		},
		{
			"cancels", "Sides that cancel", "On one loudspeaker the two sides take each other away, and little is left.",
			"The sum of both sides is 12 dB softer than their difference", practice, true, false, (*reader).cancels,
		},
		{
			"noise", "Noise behind speech", "It tires, and sounds like a cheap microphone.",
			"Speech stands less than 30 LU above what is heard in its pauses", practice, true, true, (*reader).noise,
		},
		{
			"hum", "Mains hum", "A steady hum under a voice is noticed in every pause.",
			"A tone at 50 or 60 Hz and its harmonics less than 45 dB below the speech", practice, true, false, (*reader).hum,
		},
		{
			"music-ends", "Music ends under speech", "The listener notices the hole under the voice.",
			"Music stops under speech without a fade of a second or more, and nothing takes over", practice, true, false, (*reader).musicEnds,
		},
		{
			"music-edge", "Music without a fade", "It sounds as if the music was switched on or off.",
			"Music begins or ends in its middle without a fade", practice, true, false, (*reader).musicEdges,
		},
	}
}

// ofTheSession are about what has been left in a session, or is missing in it.
func ofTheSession() []Rule {
	return []Rule{
		{"place", "An empty place", "What is missing there is missing in the finished file.", "Any", practice, false, false, (*reader).places},
		{"solo", "A track is soloed", "All other tracks are silent in the finished file.", "Any", practice, false, false, (*reader).solo},
		{"mute", "A muted track", "What lies on it is not in the finished file.", "Any that holds clips", practice, false, false, (*reader).mute},
		{"loop", "A loop is on", "Playing goes round and round a stretch, so that the rest may not have been heard.", "Any", practice, false, false, (*reader).loop},
		{"take", "An unfinished take", "A recording waits to be kept or thrown away.", "Any", practice, false, false, (*reader).take},
		{"hidden", "A hidden clip", "It sounds, and is not seen.", "A clip that lies wholly under another one of its track", practice, false, false, (*reader).hidden},
		{"missing", "A missing sound", "The episode cannot be finished without it.", "Any", practice, false, false, (*reader).missing},
		{"credit", "A missing credit", "Its author has a right to be named.", "Title, author, source or licence of a sound that needs them is not written down", "the licence of the sound", false, false, (*reader).credit},
		{"licence", "A licence in the way", "Publishing it breaks the terms under which it was given.", "A sound that may not be cut or mixed", "the licence of the sound", false, false, (*reader).licence},
		{"details", "Missing details", "People find an episode by its title and description, and players by its language.", "Title, description or language is missing", "common practice of feeds", false, false, (*reader).details},
	}
}
