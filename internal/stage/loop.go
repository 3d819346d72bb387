package stage

import (
	"container/heap"
	"time"
)

// epoch is where the virtual clock begins, so that every rehearsal sees the same dates.
var epoch = time.Date(2026, 1, 5, 9, 0, 0, 0, time.UTC)

// task is a callback at a moment of virtual time.
type task struct {
	at    float64 // ms since the epoch
	seq   int
	run   func()
	dead  bool
	index int // in the queue, -1 when it is not there

	recurring bool // an interval
}

// loop runs tasks in the order of a virtual clock. Waiting costs nothing: the clock jumps to the next task.
type loop struct {
	now   float64 // ms since the epoch
	seq   int
	queue taskQueue
	busy  func() // told when a run does not come to its end

	begins func() // told when a run begins
}

type taskQueue []*task

func (q taskQueue) Len() int { return len(q) }
func (q taskQueue) Less(i, j int) bool {
	return q[i].at < q[j].at || q[i].at == q[j].at && q[i].seq < q[j].seq
}
func (q taskQueue) Swap(i, j int) { q[i], q[j] = q[j], q[i]; q[i].index, q[j].index = i, j }
func (q *taskQueue) Push(x any) {
	t := x.(*task)
	t.index = len(*q)
	*q = append(*q, t)
}
func (q *taskQueue) Pop() any {
	old := *q
	t := old[len(old)-1]
	old[len(old)-1] = nil
	*q = old[:len(old)-1]
	t.index = -1
	return t
}

// after schedules a callback in ms of virtual time.
func (l *loop) after(ms float64, run func()) *task {
	l.seq++
	t := &task{at: l.now + max(ms, 0), seq: l.seq, run: run}
	heap.Push(&l.queue, t)
	return t
}

// cancel takes a task back, with all that it holds.
func (l *loop) cancel(t *task) {
	if t == nil || t.dead {
		return
	}
	t.dead, t.run = true, nil
	if t.index >= 0 {
		heap.Remove(&l.queue, t.index)
	}
}

// runUntil runs tasks until done says so, nothing is left, or the clock would pass limit ms from now. It says
// whether done became true.
func (l *loop) runUntil(done func() bool, limit float64) bool {
	end := l.now + limit
	if l.begins != nil {
		l.begins()
	}
	for steps := 0; !done(); {
		if l.queue.Len() == 0 || l.queue[0].at > end {
			return false
		}
		if steps++; steps > maxSteps {
			if l.busy != nil {
				l.busy()
			}
			return false
		}
		t := heap.Pop(&l.queue).(*task)
		l.now = max(l.now, t.at)
		t.run()
	}
	return true
}

// maxSteps bounds the callbacks of one run of the loop, against workers that keep it busy for ever.
const maxSteps = 300_000

func (l *loop) time() time.Time {
	return epoch.Add(time.Duration(l.now * float64(time.Millisecond)))
}
