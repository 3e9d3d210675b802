package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/user"
	"strings"
	"time"

	"wisemarrow/people"
	"wisemarrow/store"

	"github.com/spf13/cobra"
	"golang.org/x/term"
)

func peopleCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "people",
		Short: "Manage people: add, list, role, password, remove",
		Example: `  wisemarrow-server people add Mira --role lead      # asks for a password
  wisemarrow-server people add Ines --role work < password.txt
  wisemarrow-server people list`,
	}
	role := string(people.Work)
	proxied := false
	add := peopleVerb("add NAME", "Add a person", 1, func(ctx context.Context, s *store.Store, args []string) (string, error) {
		p := people.Person{Name: args[0], Role: people.Role(role)}
		err := errors.Join(people.CheckName(p.Name), people.CheckRole(p.Role))
		if err == nil && !proxied {
			p.Password, err = newPassword(p.Name)
		}
		if err != nil {
			return "", err
		}
		return fmt.Sprintf("added %s as %s", p.Name, p.Role), s.AddPerson(ctx, p)
	})
	add.Flags().StringVar(&role, "role", role, "look, work or lead")
	add.Flags().BoolVar(&proxied, "no-password", false, "for one whom a proxy signs in")
	c.AddCommand(
		add,
		peopleVerb(
			"role NAME ROLE",
			"Give somebody another role",
			2,
			func(ctx context.Context, s *store.Store, args []string) (string, error) {
				if err := people.CheckRole(people.Role(args[1])); err != nil {
					return "", err
				}
				p, err := s.Person(ctx, args[0])
				if err != nil {
					return "", err
				}
				p.Role, p.Since = people.Role(args[1]), time.Time{}
				return fmt.Sprintf("made %s %s", p.Name, p.Role), s.ChangePerson(ctx, p)
			},
		),
		peopleVerb(
			"password NAME",
			"Give somebody a new password and sign them out everywhere",
			1,
			func(ctx context.Context, s *store.Store, args []string) (string, error) {
				p, err := s.Person(ctx, args[0])
				if err != nil {
					return "", err
				}
				if p.Password, err = newPassword(p.Name); err != nil {
					return "", err
				}
				p.Since = time.Now()
				return "gave " + p.Name + " a new password", s.ChangePerson(ctx, p)
			},
		),
		peopleVerb("remove NAME", "Remove a person's access", 1, func(ctx context.Context, s *store.Store, args []string) (string, error) {
			return "removed " + args[0], s.RemovePerson(ctx, args[0])
		}),
		peopleVerb("list", "List them", 0, func(ctx context.Context, s *store.Store, _ []string) (string, error) {
			list, err := s.People(ctx)
			for _, p := range list {
				fmt.Printf("%-24s %-5s since %s\n", p.Name, p.Role, p.Added.Format("2 Jan 2006"))
			}
			return "", err
		}),
	)
	return c
}

// peopleVerb is a command on the database that notes in the audit what it did.
func peopleVerb(use, short string, args int, do func(ctx context.Context, s *store.Store, args []string) (string, error)) *cobra.Command {
	var url string
	c := &cobra.Command{Use: use, Short: short, Args: cobra.ExactArgs(args), RunE: func(_ *cobra.Command, args []string) error {
		ctx, stop := interrupted()
		defer stop()
		s, err := store.Open(ctx, url)
		if err != nil {
			return err
		}
		defer s.Close()
		if err := s.Migrate(ctx); err != nil {
			return err
		}
		told, err := do(ctx, s, args)
		if err != nil || told == "" {
			return err
		}
		fmt.Println(strings.ToUpper(told[:1]) + told[1:])
		who := "command line"
		if u, err := user.Current(); err == nil {
			who = u.Username
		}
		return s.Note(ctx, people.Event{Who: who, From: "command line", What: told})
	}}
	addDatabase(c, &url)
	return c
}

// newPassword asks for a password, twice on a terminal, once of what is piped in, and
// returns what is kept of it.
func newPassword(name string) (string, error) {
	ask := func(prompt string) (string, error) {
		fmt.Fprint(os.Stderr, prompt)
		b, err := term.ReadPassword(int(os.Stdin.Fd()))
		fmt.Fprintln(os.Stderr)
		return string(b), err
	}
	var password string
	var err error
	if term.IsTerminal(int(os.Stdin.Fd())) {
		var again string
		if password, err = ask("Password: "); err == nil {
			again, err = ask("Once more: ")
		}
		if err == nil && again != password {
			err = errors.New("the passwords differ; nothing was changed")
		}
	} else {
		password, err = bufio.NewReader(io.LimitReader(os.Stdin, 4096)).ReadString('\n')
		if errors.Is(err, io.EOF) {
			err = nil
		}
		password = strings.TrimRight(password, "\r\n")
	}
	if err == nil {
		err = people.CheckPassword(name, password)
	}
	if err != nil {
		return "", err
	}
	return people.Hash(password), nil
}
