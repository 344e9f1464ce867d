"""Words for the same thing: of each group any member may stand for the first where the meaning is the everyday one."""

from __future__ import annotations

# Plain forms of verbs; the first is what a title says, the others are what people say.
_VERBS = """
access get into, get at
add put in, include
adjust change, set
allow let, permit
apply use
assign give
avoid keep clear of
build make
cancel call off
change alter, switch
choose pick, decide on
clean clear, tidy up
clear empty, wipe
close shut
combine join
compile build
configure set up, adjust
connect link, hook up
control steer, manage
copy duplicate
create make, set up
customize adapt
customise adapt
cut trim
debug find the fault in, track down problems in
define set
delete get rid of, remove
determine find out, work out
disable turn off, switch off
display show
download fetch, get
duplicate copy
edit change, work on
emulate imitate, act like
enable turn on, switch on
ensure make sure of
erase wipe
establish set up
evaluate work out, judge
examine look at, inspect
execute run
exit leave, quit
extend add to, make longer
extract pull out
fetch get, download
find locate, look for
fix repair, sort out
format lay out
generate make, produce
get obtain, find
handle deal with, cope with
identify tell, recognise
implement write, make
import bring in, load
improve make better
include add, put in
increase raise
inspect look at, examine
install set up, put in
invoke call, start
limit restrict, cap
list show, see
load open, read in
locate find
maintain look after, keep up
make create, build
manage handle, look after
measure find out
merge join, combine
modify change, alter
monitor watch, keep an eye on
mount attach
move shift, transfer
obtain get
open start, unlock
optimize speed up, tune
organise arrange
organize arrange
pass give
pay settle
perform do, carry out
prepare get ready
prevent stop, avoid
process work on, handle
protect guard, keep safe
raise lift
read look at, load
record write down
recover get back, restore
reduce cut, lower
remove get rid of, take out
rename change the name of
renew extend
repair fix, mend
replace exchange
report tell about, pass on
request ask for
require need
reset start afresh
resolve sort out, settle
restart start again
restore get back, bring back
restrict limit
retrieve get, fetch
return give back
review look over
run start
save store, keep
schedule plan, time
search look through, find
secure protect
select choose, pick
send mail
show see, display
shutdown turn off
split divide, cut up
stop end, halt
store keep, save
submit hand in, send
switch change
test try out, check
track follow
transfer move
troubleshoot sort out problems with
uninstall get rid of, remove
unlock open
update renew
upgrade move to a newer version of
upload send
use work with, make use of
validate check
verify check, make sure of
view look at, see
work operate
"""

# Singular nouns; their plural is made with -s.
_NOUNS = """
administrator person in charge
advantage benefit
agreement contract
alternative other way
amount quantity
answer reply
approach way
area part
assistance help
backup spare copy
behaviour way it acts
behavior way it acts
boat craft
cause reason
charge fee
choice option
comparison contrast
complaint grievance
consequence result
cost price
customization adaptation
customisation adaptation
damage harm
default standard setting
deletion removal
dependency requirement
description explanation
difference distinction
directory folder
documentation manual
email mail
emergency accident
employee worker
error mistake
event incident
expense cost
failure breakdown
fault defect
feature function
fee charge
fine penalty
folder directory
guideline rule
illness sickness
job task
leave time off
licence permit
license permit
limitation restriction
location place
maintenance upkeep
mistake error
modification change
obligation duty
option setting
payment fee
penalty fine
performance speed
permission right
permit licence
policy rule
precaution safety step
price cost
problem difficulty
procedure way
program application
protection safety
refund money back
regulation rule
removal taking away
repair fix
requirement need
restriction limit
risk danger
rule regulation
safety protection
speed pace
student learner
support help
symbol sign
syntax grammar
task job
tool program
update newer version
usage use
user person
utility small program
visitor guest
warning alert
website web page
"""


def _read(table: str) -> dict[str, tuple[str, ...]]:
    rows = [line.split(" ", 1) for line in table.strip().split("\n")]
    return {first: tuple(word.strip() for word in others.split(",")) for first, others in rows}


VERBS = _read(_VERBS)
NOUNS = _read(_NOUNS)
