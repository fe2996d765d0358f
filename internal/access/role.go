package access

import (
	"context"
	"slices"

	"ruvel/core/problem"
	"ruvel/internal/store"
)

// Right is what somebody needs of a show for a request.
type Right string

// The rights. Signed and Free ask nothing of a show.
const (
	Free   Right = "free"   // whoever reaches the port
	Signed Right = "signed" // whoever has signed in
	Keep   Right = "keep"   // who looks after this Ruvel
	Belong Right = "belong" // somebody of the show, whatever they do there
	Hear   Right = "hear"   // to hear an episode, and to read what is noted at its places
	Note   Right = "note"   // to note something at a place
	Read   Right = "read"   // to read a script and to record it
	Make   Right = "make"   // everything on episodes
	Own    Right = "own"    // people, house sound, feed, removal
)

// Rights are all of them, the least first.
func Rights() []Right { return []Right{Free, Signed, Keep, Belong, Hear, Note, Read, Make, Own} }

// grants are the rights that go with each role.
var grants = map[store.Role][]Right{
	store.Owner:    {Belong, Hear, Note, Read, Make, Own},
	store.Producer: {Belong, Hear, Note, Read, Make},
	store.Reader:   {Belong, Read},
	store.Listener: {Belong, Hear, Note},
}

// May says whether a right goes with a role.
func May(role store.Role, right Right) bool {
	return slices.Contains(grants[role], right)
}

// lacking is what is said to somebody of a show whose role does not go with a right.
var lacking = map[Right]string{
	Hear: "Who reads for this show has its scripts and the recordings of their own, not its episodes.",
	Note: "Who reads for this show has its scripts and the recordings of their own, not what is noted at places.",
	Read: "Who listens for this show hears its episodes; scripts are for those who read and produce.",
	Make: "Only producers and owners of this show can do that. An owner can make you one.",
	Own:  "Only an owner of this show can do that.",
	Keep: "Only who looks after this Ruvel can do that.",
}

// Who is one who asks.
type Who struct {
	store.Person
	// Roles are those in the shows that they may go into.
	Roles map[string]store.Role
	// Token is the one that they ask with; empty: they have signed in.
	Token string
	// Looks: they may look, and change nothing.
	Looks bool
}

// owns says whether somebody is an owner of any show.
func (w Who) owns() bool {
	for _, role := range w.Roles {
		if role == store.Owner {
			return true
		}
	}
	return false
}

// Begins says whether somebody may begin a show: who keeps this Ruvel, and owners of others.
func (w Who) Begins() bool { return w.Keeper || w.owns() }

type whoKey struct{}

// As is a context in which somebody asks. What they change is theirs.
func As(ctx context.Context, w *Who) context.Context {
	return store.By(context.WithValue(ctx, whoKey{}, w), store.Author{ID: w.ID, Name: w.Name})
}

// Asks is who asks in a context; nil: nobody that is known.
func Asks(ctx context.Context) *Who {
	w, _ := ctx.Value(whoKey{}).(*Who)
	return w
}

// Unknown is what is answered where somebody would have to sign in first.
func Unknown() error {
	return problem.New("not-signed-in", "", "Sign in first.")
}

// refused is what is answered to somebody who is of the show and lacks a right.
func refused(right Right) error {
	return problem.New("not-allowed", "role", "%s", lacking[right])
}
