// Package decoder measures pictures and makes renditions of them with libvips:
// the side of package picture that touches foreign bytes. It is linked into a
// program of its own, so that the server holds no C code. What an image must be
// is for core/picturespec.
package decoder

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"strings"
	"syscall"

	"github.com/davidbyttow/govips/v2/vips"

	"ambrosa/core/picturespec"
	"ambrosa/internal/picture"
)

// childMemory bounds the address space of a decoder, in bytes.
const childMemory = 3 << 30

// Serve is the child process: it reads tasks from in, a line of JSON each, and
// writes a line of JSON for each to out, until in ends.
func Serve(in io.Reader, out io.Writer) error {
	limit := syscall.Rlimit{Cur: childMemory, Max: childMemory}
	if err := syscall.Setrlimit(syscall.RLIMIT_AS, &limit); err != nil {
		return fmt.Errorf("limit the decoder's memory: %w", err)
	}
	vips.LoggingSettings(func(string, vips.LogLevel, string) {}, vips.LogLevelError)
	vips.Startup(&vips.Config{ConcurrencyLevel: 1})
	tasks := bufio.NewScanner(in)
	tasks.Buffer(nil, 1<<20)
	answers := json.NewEncoder(out)
	for tasks.Scan() {
		var task picture.Task
		if err := json.Unmarshal(tasks.Bytes(), &task); err != nil {
			return fmt.Errorf("read task: %w", err)
		}
		if err := answers.Encode(decode(task)); err != nil {
			return fmt.Errorf("write result: %w", err)
		}
	}
	return tasks.Err()
}

func decode(task picture.Task) (result picture.Result) {
	content, problem, err := readLimited(task.Path, task.Limits.Bytes)
	if err != nil {
		return failed(result, err)
	}
	if problem != "" {
		return picture.Result{Problem: problem}
	}
	result.Type = picturespec.TypeOf(content[:min(len(content), picturespec.HeadBytes)])
	if refusal := result.Type.Refusal(); refusal != "" {
		result.Problem = refusal
		return result
	}
	if n := picturespec.Segments(content, picturespec.MostSegments+1); n > picturespec.MostSegments {
		result.Problem = fmt.Sprintf("the picture has more than %d segments of data beside its pixels, so it is not decoded",
			picturespec.MostSegments)
		return result
	}
	if err := measure(content, &result, task.Limits); err != nil {
		return failed(result, err)
	}
	if task.Look {
		result.Rendition = content
		if err := lookAtRendition(&result); err != nil {
			return failed(result, err)
		}
		result.Rendition = nil
		return result
	}
	if task.Codes {
		if result.Codes, err = readCodes(content); err != nil {
			return failed(result, err)
		}
		return result
	}
	if task.Make != nil {
		if result.Made, err = makeRendition(content, &result, *task.Make); err != nil {
			return failed(result, err)
		}
		return result
	}
	if err := render(content, task.Size, &result); err != nil {
		return failed(result, err)
	}
	if suspect(len(content), &result) {
		// A picture whose full size cannot be read was broken already above.
		if part, err := detail(content); err == nil {
			result.Detail = part
		}
	}
	return result
}

// readLimited reads a file. problem says why its picture is not decoded; err is for what is wrong with the
// machine.
func readLimited(path string, limit int64) (content []byte, problem string, err error) {
	info, err := os.Stat(path)
	if err != nil {
		return nil, "", err
	}
	if info.Size() > limit {
		return nil, fmt.Sprintf("%d MB are more than the limit of %d MB a file", info.Size()>>20, limit>>20), nil
	}
	content, err = os.ReadFile(path)
	return content, "", err
}

// failed tells what is wrong with the machine from what is wrong with the picture.
func failed(result picture.Result, err error) picture.Result {
	var file *fs.PathError
	if !errors.As(err, &file) {
		result.Problem, result.Cause = plain(err), fmt.Sprintf("%.500s", err)
		return result
	}
	result.Failed = syscall.EIO
	errors.As(file, &result.Failed)
	return result
}

// measure reads the header only; pixels are not decoded yet.
func measure(content []byte, result *picture.Result, limits picturespec.Limits) error {
	image, err := vips.NewImageFromBuffer(content)
	if err != nil {
		return err
	}
	defer image.Close()
	result.Width, result.Height, result.Frames = image.Width(), image.Height(), max(1, image.Pages())
	if result.Type == picturespec.TIFF || result.Type == picturespec.HEIC || result.Type == picturespec.AVIF {
		result.Frames = 1 // pages of a scan or a pyramid are not an animation
	}
	if result.Frames > 1 {
		result.Height = image.PageHeight()
	}
	result.Orientation = max(1, image.Orientation())
	if result.Orientation >= 5 {
		result.Width, result.Height = result.Height, result.Width
	}
	result.Alpha, result.Profile = image.HasAlpha(), image.HasICCProfile()
	result.Colour, result.Bits = colour(image)
	result.Stated = stated(image)
	return limits.CheckSize(result.Width, result.Height)
}

func colour(image *vips.ImageRef) (name string, bits int) {
	bits = 8
	switch image.BandFormat() {
	case vips.BandFormatUshort, vips.BandFormatShort:
		bits = 16
	case vips.BandFormatFloat, vips.BandFormatUint, vips.BandFormatInt:
		bits = 32
	}
	switch image.Interpretation() {
	case vips.InterpretationCMYK:
		name = "CMYK"
	case vips.InterpretationBW, vips.InterpretationGrey16:
		name = "grey"
	case vips.InterpretationLAB:
		name = "Lab"
	default:
		name = "RGB"
	}
	return name, bits
}

// render makes a WebP of at most size pixels a side and the fingerprint.
func render(content []byte, size int, result *picture.Result) error {
	image, err := vips.LoadThumbnailFromBuffer(content, size, size, vips.InterestingNone, vips.SizeDown, vips.NewImportParams())
	if err != nil {
		return err
	}
	defer image.Close()
	if err := toScreen(image, result); err != nil {
		return err
	}
	params := vips.NewWebpExportParams()
	params.StripMetadata, params.Quality, params.ReductionEffort = true, 80, 1
	if result.Rendition, _, err = image.ExportWebp(params); err != nil {
		return err
	}
	return lookAtRendition(result)
}

// toScreen brings any colour space and depth to 8 bits of sRGB.
func toScreen(image *vips.ImageRef, result *picture.Result) error {
	if result.Profile {
		if err := image.TransformICCProfile(vips.SRGBIEC6196621ICCProfilePath); err == nil {
			return nil
		}
		// A damaged profile: shown as if it had none.
	}
	if image.Interpretation() == vips.InterpretationSRGB && image.BandFormat() == vips.BandFormatUchar {
		return nil
	}
	return image.ToColorSpace(vips.InterpretationSRGB)
}

// plain says in the user's words why a picture is not decoded. libvips' own words are in the result's Cause.
func plain(err error) string {
	text := err.Error()
	var pixels picturespec.TooLarge
	var bytes tooLarge
	switch {
	case errors.As(err, &pixels), errors.As(err, &bytes):
		return text
	case strings.Contains(text, "premature end"), strings.Contains(text, "Premature end"), strings.Contains(text, "truncated"),
		strings.Contains(text, "unexpected end"), strings.Contains(text, "out of order read"), strings.Contains(text, "end of file"):
		return "the picture is broken: it ends early"
	case errors.Is(err, vips.ErrUnsupportedImageFormat):
		return "the picture is broken, or of a kind that is not read"
	}
	return "the picture is broken: its data cannot be decoded"
}
