package store

// WatchEvery is how often a folder of files is looked at.
const WatchEvery = watchEvery

// MountOf is the number of the mount on which a folder lies.
var MountOf = mountOf
