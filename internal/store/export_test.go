package store

import "time"

// WatchEvery is how often a folder of files is looked at.
const WatchEvery = time.Duration(watchEvery)
