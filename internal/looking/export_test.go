package looking

// Settle waits until nothing runs in the background that was begun before.
func (l *Looking) Settle() { l.background.runs.Wait() }
