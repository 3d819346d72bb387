package stage

import "time"

// moment is a point in time by two clocks: the wall's, and what the process has worked until then.
type moment struct {
	wall   time.Time
	worked time.Duration // 0 where the system does not say
}

func now() moment { return moment{time.Now(), worked()} }

// took is how long something has taken since: no longer than the process has worked meanwhile, so that a busy machine makes no script slow.
func (m moment) took() time.Duration {
	wall := time.Since(m.wall)
	if w := worked(); w > 0 {
		return min(wall, w-m.worked)
	}
	return wall
}
