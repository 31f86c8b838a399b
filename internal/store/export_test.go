package store

// WatchEvery is how often a folder of files is looked at.
const WatchEvery = watchEvery
