// Package referee holds a test only: it lets Linux forward real packets and
// compares what becomes of them with what is predicted.
package referee
