// Package store keeps what must be kept: items with their findings, tallies,
// revisions, and the pictures of rejects. It is the only package that knows SQLite
// and GORM.
//
// One goroutine writes. It gathers what came in while the last transaction was
// under way and commits it as a group, with the tallies in the same transaction and
// synced to disk, and only then are the callers told. Reading goes through a pool of
// its own and never waits for writing.
//
// Pictures are PNG files named by the SHA-256 of their content; when their folder
// would grow beyond its limit, the oldest go.
package store
