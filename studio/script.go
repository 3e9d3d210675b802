package studio

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"

	"wisemarrow/formats/reading"
)

// Step is an operation with its parameters: a line of a script, or of what is
// repeated on another file.
type Step struct {
	Op     string          `json:"op"`
	Params json.RawMessage `json:"params,omitempty"`
}

// Script is a history as it is taken away: operations one after the other, and the
// content of the files that they read. It is written one JSON value a line, a line
// {"blob": HASH, "data": BASE64} before the first operation that names it.
type Script struct {
	Steps []Step
	Blobs map[string][]byte
}

type scriptLine struct {
	Op     string          `json:"op,omitempty"`
	Params json.RawMessage `json:"params,omitempty"`
	Blob   string          `json:"blob,omitempty"`
	Data   []byte          `json:"data,omitempty"`
}

// begins are the operations with which characters come in. A script that is run on
// another file leaves them out.
func (s Step) begins() bool { return s.Op == "import" || s.Op == "made" }

// WriteScript writes what was done to a character up to a revision. The file that it
// came from is left out unless whole; the files of later operations go along.
func (x *Studio) WriteScript(ctx context.Context, w io.Writer, character string, to int64, whole bool) error {
	line, err := x.store.Line(ctx, character, to)
	if err != nil {
		return err
	}
	if len(line) == 0 {
		return ErrNotFound
	}
	out := json.NewEncoder(w)
	written := map[string]bool{}
	for _, r := range line {
		step := Step{r.Op, r.Params}
		if step.begins() && !whole {
			continue
		}
		if _, op, err := ParseOperation(r.Op, r.Params); err == nil {
			for _, hash := range blobsOf(op) {
				if written[hash] {
					continue
				}
				written[hash] = true
				data, err := x.blob(ctx, hash)
				if err != nil {
					return fmt.Errorf("the file of revision %d: %w", r.ID, err)
				}
				if err := out.Encode(scriptLine{Blob: hash, Data: data}); err != nil {
					return err
				}
			}
		}
		if err := out.Encode(scriptLine{Op: r.Op, Params: r.Params}); err != nil {
			return err
		}
	}
	return nil
}

// maxSteps is how many operations a script may have.
const maxSteps = 100_000

// ReadScript reads a script. Every operation is looked up and its parameters are
// decoded, so that a mistake is told with its line before anything is done.
func ReadScript(r io.Reader, l reading.Limits) (Script, error) {
	out := Script{Blobs: map[string][]byte{}}
	in := bufio.NewReaderSize(io.LimitReader(r, 2*l.Bytes), 1<<20)
	for n := 1; ; n++ {
		text, err := in.ReadBytes('\n')
		if err != nil && !errors.Is(err, io.EOF) {
			return out, fmt.Errorf("reading the script: %w", err)
		}
		end := err != nil
		if len(text) > 1 || end && len(text) > 0 {
			var x scriptLine
			if err := json.Unmarshal(text, &x); err != nil {
				return out, Wrong("line %d of the script is not a JSON object: %s", n, Plain(err))
			}
			switch {
			case x.Blob != "":
				if b := newBlob(x.Data); b.Hash != x.Blob {
					return out, Wrong("line %d of the script: the data is not what its hash says", n)
				}
				out.Blobs[x.Blob] = x.Data
			case x.Op == "":
				return out, Wrong("line %d of the script names no operation", n)
			default:
				if x.Op != "made" {
					if _, _, err := ParseOperation(x.Op, x.Params); err != nil {
						return out, Wrong("line %d of the script: %v", n, err)
					}
				}
				if out.Steps = append(out.Steps, Step{x.Op, x.Params}); len(out.Steps) > maxSteps {
					return out, Wrong("the script has more than %d operations", maxSteps)
				}
			}
		}
		if end {
			break
		}
	}
	if len(out.Steps) == 0 {
		return out, Wrong("the script has no operation in it")
	}
	return out, nil
}

// Ran is what became of one step of a script.
type Ran struct {
	Op      string  `json:"op"`
	Outcome Outcome `json:"outcome"`
	Error   string  `json:"error,omitempty"`
}

// Run does the steps of a script to a state, in order; those with which a character
// came in are left out. It ends at the first that is refused and returns the state
// before it, what was done, and why.
func (s Script) Run(
	ctx context.Context,
	state State,
	l reading.Limits,
	told func(step, of int, label string, share float64),
) (State, []Ran, error) {
	var ran []Ran
	for i, step := range s.Steps {
		if step.begins() {
			continue
		}
		entry, op, err := ParseOperation(step.Op, step.Params)
		if err == nil {
			AttachFiles(op, func(hash string) ([]byte, error) {
				if data, ok := s.Blobs[hash]; ok {
					return data, nil
				}
				return nil, ErrNotFound
			}, l)
			told(i+1, len(s.Steps), entry.Label, 0)
			var next State
			var outcome Outcome
			next, outcome, err = Apply(ctx, entry, op, state, func(what string, share float64) { told(i+1, len(s.Steps), what, share) })
			if err == nil {
				// As it would be stored, so that a replay gives the same bytes.
				next, _, _, err = encodeState(&next, &state, nil)
			}
			if err == nil {
				state = next
				ran = append(ran, Ran{Op: step.Op, Outcome: outcome})
				continue
			}
		}
		ran = append(ran, Ran{Op: step.Op, Error: err.Error()})
		return state, ran, fmt.Errorf("step %d, %s: %w", i+1, step.Op, err)
	}
	return state, ran, nil
}
