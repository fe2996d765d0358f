package media

import "fmt"

// CreateWAVOfAtMost is a WAV file that becomes RF64 beyond so many bytes.
func CreateWAVOfAtMost(path string, s Setting, label Label, most int64) (Sink, error) {
	w, err := newWAV(path, s, &label, nil)
	if err == nil {
		w.most = most
	}
	return w, err
}

// Count is how many pieces are known.
func (p *Pieces) Count() (n int) {
	p.kept.Range(func(any, any) bool { n++; return true })
	return n
}

// ShortPieces are pieces of at most so many times 49 frames.
func ShortPieces(most int64) *Pieces { return &Pieces{Loud: 1, most: most * mp3Round} }

// Comments are the fields of Ogg and FLAC.
func (l *Label) Comments() (out []string) {
	for _, p := range l.comments(false) {
		out = append(out, fmt.Sprint(p))
	}
	return out
}

// ReadsByItself says whether a file is read without another program.
func ReadsByItself(path string) bool {
	f, _, err := openPlain(path)
	if f != nil {
		_ = f.Close()
	}
	return err == nil && f != nil
}
