package backup

import (
	"context"
	"errors"

	"ruvel/core/details"
	"ruvel/core/problem"
	"ruvel/core/review"
	"ruvel/core/session"
	"ruvel/internal/links"
	"ruvel/internal/store"
)

// ShowForm is what the settings of a show are written in.
const ShowForm = "ruvel.show/1"

// ShowSettings is what a show keeps besides its episodes and layouts.
type ShowSettings struct {
	Form    string              `json:"form" enum:"ruvel.show/1"`
	Name    string              `json:"name" maxLength:"200"`
	Details details.Details     `json:"details" doc:"What is said of all episodes"`
	Targets []session.OwnTarget `json:"targets" nullable:"false" maxItems:"20"`
	Limits  review.Bounds       `json:"limits" doc:"Of the check"`
	// Treatments and Feed are left out of what was kept by earlier versions.
	Treatments []NamedTreatment `json:"treatments,omitempty" maxItems:"100" doc:"Of voices, by name"`
	Feed       *store.FeedSaid  `json:"feed,omitempty" doc:"What its feed says besides; its address is its own"`
}

// NamedTreatment is a treatment of voices that a show keeps.
type NamedTreatment struct {
	Name      string            `json:"name" maxLength:"1000"`
	Treatment session.Treatment `json:"treatment"`
}

// Settings are those of a show.
func (k *Keeper) Settings(ctx context.Context, show string) (out ShowSettings, err error) {
	named, err := k.Store.Show(ctx, show)
	if err != nil {
		return out, err
	}
	out.Form, out.Name = ShowForm, named.Name
	var errs [5]error
	out.Details, errs[0] = k.Store.Details(ctx, show)
	out.Targets, errs[1] = k.Store.Targets(ctx, show)
	out.Limits, errs[2] = k.Store.Limits(ctx, show)
	out.Feed, errs[3] = k.Store.FeedSaid(ctx, show)
	var all []store.Treatment
	all, errs[4] = k.Store.Treatments(ctx, show)
	for _, t := range all {
		out.Treatments = append(out.Treatments, NamedTreatment{t.Name, t.Settings.Of})
	}
	return out, errors.Join(errs[:]...)
}

// TakeSettings gives a show the settings of one that was kept. Its name stays; artwork that it does not have is left out.
func (k *Keeper) TakeSettings(ctx context.Context, show string, in ShowSettings) error {
	if in.Form != ShowForm {
		return problem.New("unknown-form", "form", "These settings have the form %q; this version of Ruvel reads %s.", problem.Short(in.Form, 80), ShowForm)
	}
	if err := errors.Join(in.Details.Check(), in.Limits.Check()); err != nil { // before anything is kept
		return err
	}
	for _, t := range in.Treatments {
		if _, err := session.NewTreatment(t.Treatment, "treatments"); err != nil {
			return err
		}
	}
	if in.Details.Artwork != "" {
		if _, err := k.Store.Picture(ctx, show, in.Details.Artwork); store.IsNotFound(err) {
			in.Details.Artwork = ""
		} else if err != nil {
			return err
		}
	}
	if err := k.Store.SetTargets(ctx, show, in.Targets); err != nil {
		return err
	}
	if err := k.Store.SetDetails(ctx, show, in.Details); err != nil {
		return err
	}
	if err := k.Store.SetLimits(ctx, show, in.Limits); err != nil {
		return err
	}
	for _, t := range in.Treatments {
		if _, err := k.Store.KeepTreatment(ctx, show, t.Name, t.Treatment); err != nil {
			return err
		}
	}
	if in.Feed == nil {
		return nil
	}
	f, err := links.FeedOf(ctx, k.Store, show)
	if err != nil {
		return err
	}
	f.Said.Of = *in.Feed
	return k.Store.SetFeed(ctx, f)
}
