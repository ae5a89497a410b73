//go:build race

package cli

// raceDetector tells that times mean nothing: the program is slowed down.
const raceDetector = true
