package disk

import (
	"fmt"
	"syscall"
)

// Free returns how many bytes this program can still write to the disk of a folder, and how
// many the disk has.
func Free(dir string) (free, size int64, err error) {
	var st syscall.Statfs_t
	if err := syscall.Statfs(dir, &st); err != nil {
		return 0, 0, fmt.Errorf("the disk of %s cannot be asked: %w", dir, err)
	}
	return int64(st.Bavail) * st.Bsize, int64(st.Blocks) * st.Bsize, nil
}
