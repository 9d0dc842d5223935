package files

import (
	"fmt"
	"time"
)

// LockWait is how long a command waits for another that writes the same folder.
const LockWait = 30 * time.Second

// lock takes a folder's lock. While another has it, tell is told of whom, once.
func lock(dir string, tell func(string)) (unlock func(), err error) {
	start := time.Now()
	for told := false; ; {
		unlock, busy, err := tryLock(dir)
		if err != nil {
			return nil, fmt.Errorf("cannot lock %s: %w", dir, err)
		}
		if !busy {
			return unlock, nil
		}
		who := holder(dir)
		if time.Since(start) > LockWait {
			return nil, fmt.Errorf("%s writes in %s and has not ended for %s; nothing was written", who, dir, LockWait)
		}
		if !told && tell != nil {
			told = true
			tell(fmt.Sprintf("waiting for %s, which writes in %s", who, dir))
		}
		time.Sleep(50 * time.Millisecond)
	}
}
