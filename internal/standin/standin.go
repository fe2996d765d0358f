// Package standin is the voice of the microphone that needs no device: somebody reads
// the trailer of the sample series. It was made by a speech synthesiser from a text of
// ours; the script make in this folder makes it anew.
package standin

import _ "embed"

// Name is what the microphone is called.
const Name = "Stand-in microphone (reads the sample script)"

// Reading is the sound, a FLAC file in mono.
//
//go:embed reading.flac
var Reading []byte

// Text is what is read.
//
//go:embed reading.txt
var Text string
