"""Forms of irregular verbs and nouns, which no stemmer brings together."""

from __future__ import annotations

_FORMS = """
become became
begin began begun
bend bent
bind bound
bite bit bitten
bleed bled
blow blew blown
break broke broken
bring brought
build built
burn burnt
buy bought
catch caught
choose chose chosen
come came
cut cutting
deal dealt
dig dug
draw drew drawn
drink drank drunk
drive drove driven
eat ate eaten
fall fell fallen
feed fed
feel felt
fight fought
find found
fly flew flown
forbid forbade forbidden
forget forgot forgotten
freeze froze frozen
give gave given
go went gone goes
grow grew grown
hang hung
hear heard
hide hid hidden
hold held
keep kept
know knew known
lay laid
lead led
learn learnt
leave left
lend lent
lie lay lain lying
lose lost
make made
mean meant
meet met
mistake mistook mistaken
pay paid
ride rode ridden
ring rang rung
rise rose risen
run ran
say said
see saw seen
seek sought
sell sold
send sent
shake shook shaken
shine shone
shoot shot
show shown
shrink shrank shrunk
sing sang sung
sink sank sunk sunken
sit sat
sleep slept
slide slid
speak spoke spoken
spend spent
spin spun
spring sprang sprung
stand stood
steal stole stolen
stick stuck
strike struck
swear swore sworn
sweep swept
swell swollen
swim swam swum
swing swung
take took taken
teach taught
tear tore torn
tell told
think thought
throw threw thrown
tie tying tied
understand understood
undo undid undone
wake woke woken
wear wore worn
win won
write wrote written
overwrite overwrote overwritten
child children
foot feet
index indices indexes
life lives
man men
matrix matrices
person people
shelf shelves
vertex vertices
wife wives
woman women
"""

BASE = {form: line.split()[0] for line in _FORMS.strip().split("\n") for form in line.split()[1:]}


def base(word: str) -> str:
    """The plain form of a lower-cased irregular form; the word itself where it is none."""
    return BASE.get(word, word)
