package people_test

import (
	"strings"
	"testing"
	"time"

	"wisemarrow/people"

	"github.com/stretchr/testify/require"
)

func TestEachRoleMayWhatThoseBeforeItMay(t *testing.T) {
	for i, r := range people.Roles {
		for k, need := range people.Roles {
			require.Equal(t, i >= k, r.May(need), "%s, %s", r, need)
		}
	}
	require.False(t, people.Role("").May(people.Look))
	require.False(t, people.Role("root").May(people.Look))
	require.Error(t, people.CheckRole("root"))
}

func TestPasswordsAreKeptAsHashesOfTheirOwn(t *testing.T) {
	a, b := people.Hash("four horses in the rain"), people.Hash("four horses in the rain")
	require.NotEqual(t, a, b, "each has a salt")
	require.NotContains(t, a, "horses")
	require.True(t, strings.HasPrefix(a, "$argon2id$v=19$m=47104,t=1,p=1$"))
	require.True(t, people.Matches(a, "four horses in the rain"))
	for _, wrong := range []string{"", "four horses in the Rain", "four horses in the rain "} {
		require.False(t, people.Matches(a, wrong))
	}
	for _, none := range []string{"", "four horses in the rain", "$argon2id$v=19$m=1,t=1,p=1$AAAA$AAAA", "$argon2id$v=19$m=47104,t=1,p=1$*$*"} {
		require.False(t, people.Matches(none, ""))
		require.False(t, people.Matches(none, "four horses in the rain"))
	}
}

func TestPasswordsThatAreGuessedFirstAreRefused(t *testing.T) {
	for _, bad := range []string{"", "short one", "password1234", "QWERTYuiop12", "aaaaaaaaaaaaaa", "Mira-1234567890", strings.Repeat("long ", 30)} {
		require.Error(t, people.CheckPassword("mira", bad), bad)
	}
	for _, good := range []string{"four horses in the rain", "ein Pferd, zwölf Äpfel", "馬馬虎虎馬馬虎虎一二三四五"} {
		require.NoError(t, people.CheckPassword("mira", good), good)
	}
}

func TestAttemptsArePausedLongerAndLonger(t *testing.T) {
	require.Zero(t, people.Pause(4, 5, 0))
	last := time.Duration(0)
	for failed := 5; failed < 40; failed++ {
		pause := people.Pause(failed, 5, 0)
		require.GreaterOrEqual(t, pause, max(last, time.Second))
		require.LessOrEqual(t, pause, 15*time.Minute)
		require.Zero(t, people.Pause(failed, 5, pause))
		require.Zero(t, people.Pause(failed, 5, 2*time.Hour))
		last = pause
	}
	require.Equal(t, 15*time.Minute, last)
}

func TestNamesOfPeople(t *testing.T) {
	for _, good := range []string{"Mira", "Jørgen the rigger", "馬"} {
		require.NoError(t, people.CheckName(good))
	}
	for _, bad := range []string{"", " Mira", "a\nb", "<b>", `a"b`, strings.Repeat("x", 61)} {
		require.Error(t, people.CheckName(bad), bad)
	}
}

// What stands in lists of common passwords, or is made of names, dates and rows of keys, is
// refused; a short name within another word is no reason.
func TestCommonPasswordsAreRefused(t *testing.T) {
	for _, bad := range []string{"passwordpassword", "administrator", "manchesterunited", "liverpoolfc1", "qwertyuiop1234", "1qaz2wsx3edc", "iloveyou12345", "marrow marrow wise", "mirabellmirabell", "wisemarrow2026", "abcabcabcabcabc"} {
		require.Error(t, people.CheckPassword("mirabell", bad), bad)
	}
	for name, good := range map[string]string{"Ann": "planners tune canned ham", "Al": "walnuts fall at dawn", "Li": "a cliff of olives", "mirabell": "seven boats at night"} {
		require.NoError(t, people.CheckPassword(name, good), good)
	}
	require.NoError(t, people.CheckPassword("mira", strings.Repeat("kw7 zq", 20)+"horses"), "the longest is weighed too, and ends")
}
