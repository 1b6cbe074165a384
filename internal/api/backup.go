package api

import (
	"io"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"
)

type backupRequest struct {
	Pictures bool `query:"pictures" description:"With the kept pictures"`
}

// begun is a writer that knows whether anything was written.
type begun struct {
	io.Writer
	some bool
}

func (b *begun) Write(p []byte) (int, error) {
	b.some = true
	return b.Writer.Write(p)
}

func (s *Server) backup(c *echo.Context, in *backupRequest) error {
	w := c.Response()
	w.Header().Set("Content-Type", "application/zip")
	w.Header().Set("Content-Disposition", `attachment; filename="ricetta-`+time.Now().Format("2006-01-02-1504")+`.zip"`)
	to := &begun{Writer: w}
	err := s.deps.Backup(c.Request().Context(), to, in.Pictures)
	if err != nil && to.some {
		// What was sent so far is no archive, for it has no end; cutting it off tells the client.
		s.log.Warn("a backup was cut off", "error", err)
		panic(http.ErrAbortHandler)
	}
	return err
}
