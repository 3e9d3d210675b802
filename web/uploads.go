package web

import (
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"

	"wisemarrow/formats/reading"
	"wisemarrow/studio"
)

func readAll(h *multipart.FileHeader, limit int64) ([]byte, error) {
	f, err := h.Open()
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(io.LimitReader(f, limit))
}

// tooLarge explains an upload that could not be read.
func tooLarge(err error, limit int64) error {
	var big *http.MaxBytesError
	if errors.As(err, &big) {
		return fmt.Errorf("%w of %d MB: thin the mesh, or have the limit raised where the server is started (--max-megabytes)", reading.ErrTooLarge, limit>>20)
	}
	return studio.ErrInput{What: "the upload did not arrive whole: " + err.Error() + ". Send it again."}
}
