package blob

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"syscall"
)

// OwnSpool makes a folder below folder for this process's files in passing, and
// removes those of processes that are no longer alive. release removes it.
func OwnSpool(folder string) (path string, release func(), err error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return "", nil, err
	}
	all, err := lock(folder, syscall.LOCK_EX)
	if err != nil {
		return "", nil, fmt.Errorf("lock %s: %w", folder, err)
	}
	defer all.Close()
	entries, err := os.ReadDir(folder)
	if err != nil {
		return "", nil, err
	}
	for _, entry := range entries {
		left := filepath.Join(folder, entry.Name())
		if entry.IsDir() {
			held, err := lock(left, syscall.LOCK_EX|syscall.LOCK_NB)
			if err != nil {
				continue // its process is alive
			}
			defer held.Close()
		}
		if err := os.RemoveAll(left); err != nil {
			return "", nil, err
		}
	}
	if path, err = os.MkdirTemp(folder, "process-*"); err != nil {
		return "", nil, err
	}
	own, err := lock(path, syscall.LOCK_EX)
	if err != nil {
		return "", nil, err
	}
	return path, func() { _ = errors.Join(os.RemoveAll(path), own.Close()) }, nil
}

// lock holds a lock on a folder until the file is closed or the process dies.
func lock(folder string, how int) (*os.File, error) {
	file, err := os.Open(folder)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(file.Fd()), how); err != nil {
		return nil, errors.Join(err, file.Close())
	}
	return file, nil
}
