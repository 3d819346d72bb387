package stage

import "github.com/dop251/goja"

// causes knows which event of a worker the code that runs now comes from, through promises, tasks and timers: 0 for none.
type causes struct {
	now   int64
	outer []int64
}

// Grab is called when something is put off.
func (c *causes) Grab() any { return c.now }

// Resumed is called when it goes on.
func (c *causes) Resumed(grabbed any) {
	c.outer = append(c.outer, c.now)
	c.now, _ = grabbed.(int64)
}

// Exited is called when it is done.
func (c *causes) Exited() {
	if n := len(c.outer) - 1; n >= 0 {
		c.now, c.outer = c.outer[n], c.outer[:n]
	}
}

// from lets a callback run as part of what the code that puts it off comes from.
func (c *causes) from(f goja.Callable) goja.Callable {
	cause := c.now
	return c.as(cause, f)
}

// as lets a callback run as part of an event. A callback that is interrupted leaves nothing behind.
func (c *causes) as(cause int64, f goja.Callable) goja.Callable {
	return func(this goja.Value, args ...goja.Value) (goja.Value, error) {
		was, depth := c.now, len(c.outer)
		defer func() { c.now, c.outer = was, c.outer[:depth] }()
		c.now = cause
		return f(this, args...)
	}
}
