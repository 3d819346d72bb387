package stage

import "slices"

// Background Synchronization: how often an event that fails is tried again, and after how many ms.
const (
	syncTries = 3
	syncPause = 300_000.0
)

// sync is the registration of a tag; its event comes at once when there is a network, else with the network.
func (r *registration) sync(tag string) {
	if !slices.Contains(r.syncTags, tag) {
		r.syncTags = append(r.syncTags, tag)
	}
	if r.b.network != Offline {
		r.fireSyncs()
	}
}

// fireSyncs dispatches the events of all tags soon.
func (r *registration) fireSyncs() {
	for _, tag := range r.syncTags {
		r.fireSync(tag, 1)
	}
}

func (r *registration) fireSync(tag string, try int) {
	r.b.loop.after(1, func() {
		w := r.active
		if w == nil || r.b.network == Offline || !slices.Contains(r.syncTags, tag) || r.syncing[tag] {
			return
		}
		if r.syncing == nil {
			r.syncing = map[string]bool{}
		}
		r.syncing[tag] = true
		w.event("sync", func(e *scriptError) {
			r.syncing[tag] = false
			switch {
			case e == nil, try >= syncTries:
				r.syncTags = slices.DeleteFunc(r.syncTags, func(t string) bool { return t == tag })
			default:
				r.b.loop.after(syncPause, func() { r.fireSync(tag, try+1) })
			}
		}, tag, try >= syncTries)
	})
}
