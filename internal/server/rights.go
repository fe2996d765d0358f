package server

import "ruvel/internal/access"

// rights are what operations need, by their ids, where there are several people. What does not stand here needs access.Make.
var rights = map[string]access.Right{
	"get-health": access.Free, "get-me": access.Free, "sign-in": access.Free, "sign-out": access.Free,
	"look-at-invitation": access.Free, "accept-invitation": access.Free, "sign-in-outside": access.Free, "come-back": access.Free,

	"list-shows": access.Signed, "add-show": access.Signed, "call-me": access.Signed, "change-password": access.Signed, "end-sessions": access.Signed,
	"list-tokens": access.Signed, "add-token": access.Signed, "remove-token": access.Signed,
	"list-leads": access.Signed, "list-ways": access.Signed, "list-rules": access.Signed, "list-targets": access.Signed, "list-formats": access.Signed,
	"list-hosts": access.Signed, "list-licences": access.Signed, "usual-treatment": access.Signed, "list-ranges": access.Signed,
	"get-recording": access.Signed, "get-stand-in": access.Signed, "search-shelf": access.Signed, "hear-piece": access.Signed,
	"get-piece-peaks": access.Signed, "read-markers": access.Signed, "get-peaks": access.Signed,

	"list-people": access.Keep, "remove-person": access.Keep, "renew-password": access.Keep,

	"list-episodes": access.Belong, "get-picture": access.Belong, "follow-episodes": access.Belong, "list-members": access.Belong, "leave-show": access.Belong,
	"be-here": access.Belong,

	"listen": access.Hear, "get-silhouette": access.Hear, "get-hearing": access.Hear, "report-dropouts": access.Hear, "list-notes": access.Hear,
	"add-note": access.Note, "change-note": access.Note, "remove-note": access.Note,
	"get-script": access.Read, "get-reading": access.Read, "list-takes": access.Read, "add-take": access.Read, "add-chunk": access.Read,
	"finish-take": access.Read, "discard-take": access.Read,

	"invite": access.Own, "remove-invitation": access.Own, "set-role": access.Own, "remove-member": access.Own,
	"rename-show": access.Own, "set-show-settings": access.Own, "revise-show-details": access.Own, "revise-limits": access.Own,
	"revise-show-targets": access.Own, "add-layout": access.Own, "revise-feed": access.Own, "renew-feed": access.Own, "remove-episode": access.Own,
}

func rightFor(operation string) access.Right {
	if right, there := rights[operation]; there {
		return right
	}
	return access.Make
}
