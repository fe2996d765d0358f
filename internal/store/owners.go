package store

import "context"

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
)

// owners say which show a thing belongs to. Sounds and pictures are named by their content, and may be of several.
var owners = map[Thing]string{
	AShow:      `SELECT id FROM shows WHERE id = ?`,
	AnEpisode:  `SELECT show_id FROM episodes WHERE id = ?`,
	ALayout:    `SELECT show_id FROM episodes WHERE id = ? AND layout`,
	AJob:       `SELECT show_id FROM jobs WHERE id = ?`,
	ATake:      `SELECT e.show_id FROM takes t JOIN episodes e ON e.id = t.episode_id WHERE t.id = ?`,
	AVersion:   `SELECT e.show_id FROM versions v JOIN episodes e ON e.id = v.episode_id WHERE v.id = ?`,
	AMixdown:   `SELECT e.show_id FROM mixdowns m JOIN episodes e ON e.id = m.episode_id WHERE m.id = ?`,
	ASending:   `SELECT e.show_id FROM sendings n JOIN episodes e ON e.id = n.episode_id WHERE n.id = ?`,
	ALink:      `SELECT e.show_id FROM links l JOIN episodes e ON e.id = l.episode_id WHERE l.id = ?`,
	AComment:   `SELECT e.show_id FROM comments c JOIN links l ON l.id = c.link_id JOIN episodes e ON e.id = l.episode_id WHERE c.id = ?`,
	ATreatment: `SELECT show_id FROM treatments WHERE id = ?`,
	ASound:     `SELECT show_id FROM sounds WHERE id = ?`,
	APicture:   `SELECT show_id FROM pictures WHERE id = ?`,
}

// Things are all kinds.
func Things() (all []Thing) {
	for t := range owners {
		all = append(all, t)
	}
	return all
}

// ShowsWith gives the shows that a thing belongs to, in one query: none if it does not exist.
func (s *Store) ShowsWith(ctx context.Context, t Thing, id string) (shows []string, err error) {
	return shows, s.db.SelectContext(ctx, &shows, owners[t], id)
}
