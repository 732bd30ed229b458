package picturespec

import "bytes"

// MostSegments is how many segments of data a JPEG may have beside its pixels. Profiles and extended metadata
// take up to 255 each; decoders keep segments in a list that they walk once for each, so that 60,000
// of them take over a minute.
const MostSegments = 2_000

// Segments counts the segments of application data and the comments of a JPEG, in its header and
// between its scans (ISO/IEC 10918-1, B.1.1.4). It stops counting at enough. What is no JPEG has none.
func Segments(content []byte, enough int) (count int) {
	if len(content) < 2 || content[0] != 0xff || content[1] != 0xd8 {
		return 0
	}
	for at := 2; count < enough; {
		// Markers stand behind 0xff; in pixels 0xff is followed by 0 or a restart marker, which have no length.
		next := bytes.IndexByte(content[at:], 0xff)
		if next < 0 || at+next+1 >= len(content) {
			return count
		}
		at += next + 1
		marker := content[at]
		switch {
		case marker == 0 || marker == 0xff || marker == 1 || marker >= 0xd0 && marker <= 0xd9:
			if marker != 0xff {
				at++
			}
			continue
		case marker >= 0xe0 && marker <= 0xef || marker == 0xfe:
			count++
		}
		if at+2 >= len(content) {
			return count
		}
		at = min(len(content), at+1+max(2, int(content[at+1])<<8|int(content[at+2])))
	}
	return count
}
