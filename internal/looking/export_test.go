package looking

// Settle waits until nothing runs in the background that was begun before.
func (r *room) Settle() { r.background.runs.Wait() }
