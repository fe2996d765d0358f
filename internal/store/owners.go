package store

import (
	"context"

	"github.com/jmoiron/sqlx"
)

// Thing is a kind of what belongs to a show.
type Thing string

// The kinds that can be named in a request.
const (
	AShow      Thing = "show"
	AnEpisode  Thing = "episode"
	ALayout    Thing = "layout"
	AJob       Thing = "job"
	ATake      Thing = "take"
	AVersion   Thing = "version"
	AMixdown   Thing = "mixdown"
	ASending   Thing = "sending"
	ALink      Thing = "link"
	AComment   Thing = "comment"
	ATreatment Thing = "treatment"
	ASound     Thing = "sound"
	APicture   Thing = "picture"
	ANote      Thing = "note"
	AMember    Thing = "person"
	AnOffer    Thing = "invitation"
)

// owners say which show a thing belongs to. Sounds and pictures are named by their content and may be of several, as people may.
var owners = map[Thing]string{
	AShow:      `SELECT id, id AS show_id FROM shows WHERE id IN (?)`,
	AnEpisode:  `SELECT id, show_id FROM episodes WHERE id IN (?)`,
	ALayout:    `SELECT id, show_id FROM episodes WHERE id IN (?) AND layout`,
	AJob:       `SELECT id, show_id FROM jobs WHERE id IN (?)`,
	ATake:      `SELECT t.id, e.show_id FROM takes t JOIN episodes e ON e.id = t.episode_id WHERE t.id IN (?)`,
	AVersion:   `SELECT v.id, e.show_id FROM versions v JOIN episodes e ON e.id = v.episode_id WHERE v.id IN (?)`,
	AMixdown:   `SELECT m.id, e.show_id FROM mixdowns m JOIN episodes e ON e.id = m.episode_id WHERE m.id IN (?)`,
	ASending:   `SELECT n.id, e.show_id FROM sendings n JOIN episodes e ON e.id = n.episode_id WHERE n.id IN (?)`,
	ALink:      `SELECT l.id, e.show_id FROM links l JOIN episodes e ON e.id = l.episode_id WHERE l.id IN (?)`,
	AComment:   `SELECT c.id, e.show_id FROM comments c JOIN links l ON l.id = c.link_id JOIN episodes e ON e.id = l.episode_id WHERE c.id IN (?)`,
	ATreatment: `SELECT id, show_id FROM treatments WHERE id IN (?)`,
	ASound:     `SELECT id, show_id FROM sounds WHERE id IN (?)`,
	APicture:   `SELECT id, show_id FROM pictures WHERE id IN (?)`,
	ANote:      `SELECT n.id, e.show_id FROM notes n JOIN episodes e ON e.id = n.episode_id WHERE n.id IN (?)`,
	AMember:    `SELECT person_id AS id, show_id FROM members WHERE person_id IN (?)`,
	AnOffer:    `SELECT id, show_id FROM invitations WHERE id IN (?) AND show_id IS NOT NULL`,
}

// Things are all kinds.
func Things() (all []Thing) {
	for t := range owners {
		all = append(all, t)
	}
	return all
}

// ShowsWith gives the shows that things of a kind belong to, by their ids, in one query: none of what does not exist.
func (s *Store) ShowsWith(ctx context.Context, t Thing, ids ...string) (map[string][]string, error) {
	shows := map[string][]string{}
	if len(ids) == 0 {
		return shows, nil
	}
	query, values, err := sqlx.In(owners[t], ids)
	if err != nil {
		return nil, err
	}
	var rows []struct {
		ID   string `db:"id"`
		Show string `db:"show_id"`
	}
	err = s.db.SelectContext(ctx, &rows, query, values...)
	for _, r := range rows {
		shows[r.ID] = append(shows[r.ID], r.Show)
	}
	return shows, err
}
