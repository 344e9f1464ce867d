"""Words that people who ask use for what documents call otherwise: looser than synonyms, good enough to find a sentence by."""

from __future__ import annotations

from ..text import stem

_GROUPS = """
abandon leave desert
ache pain hurt sore
additional extra more another further
adult grownup
advert advertisement ad
agree consent accept
aid help assist assistance support
aim goal target purpose
alcohol drink drunk beer wine
allow let permit allowed permitted
amend change modify alter edit adjust
annual yearly year
app application program software
apply request ask claim
appointment booking reservation book booked reserve
argument parameter option switch flag
arrive arrival come reach
automobile car vehicle
baby infant child
bad poor faulty broken defective
bag baggage luggage
ban forbid forbidden prohibited prohibit banned illegal
bbq barbecue barbeque grill
begin start commence opening launch onset
big large great
bike bicycle cycle cycling cyclist
bill invoice
bin rubbish litter waste refuse trash garbage dispose disposal
boss manager supervisor
break damage broken damaged
buy purchase obtain get acquire order
cab taxi
cancel cancellation withdraw revoke
canoe kayak paddle paddler paddling
car vehicle
cash money payment
cause reason why because
cell mobile phone telephone
cheap discount reduced concession reduction
check verify inspect examine test inspection
child children kid kids minor under-16s
choose select pick selection choice
clean wash cleaning
close shut closed closure closing
clothing clothes wear
coach bus
complain complaint report grievance
computer machine pc system host
connect link attach plug join
copy duplicate
cost price fee charge charged tariff rate pay paid
crash fail failure abort hang
create make build generate produce
crossing cross
customer client user
cut trim
danger hazard risk hazardous dangerous
deadline latest due expire expiry
dead died death
debt owe owed arrears
delete remove erase wipe
deposit security
die death dead
dinner meal food eat
dirty soiled polluted
disabled disability wheelchair accessible
disk drive storage
display show print output
doctor medical gp
document file paper
dog pet animal
dwell live reside residence residential living
earn salary wage pay
electric electricity power
email mail e-mail
emergency accident incident urgent
employee worker staff
empty drain pump discharge
enable activate
end finish stop ending expire
engine motor
error failure fault bug problem
event occasion
exit quit leave
expensive dear
explain describe
extend lengthen renew renewal prolong
fall fell fallen falls
fast quick quickly speed rapid
fault defect error
fill refill top
find locate search look
fine penalty
fire flame burn blaze
firm company business
first initial
fish angling angler fishing
fit suit pass enter length
fix repair mend correct
flat apartment
flood flooding flooded
folder directory
forget forgot lost lose
form application
free gratis complimentary
freeze frozen ice icy frost
friend guest visitor
fuel petrol diesel gasoline gas
fun leisure
garage workshop
get obtain receive fetch retrieve
gift present
glasses spectacles
go travel
guide manual handbook tutorial
handicapped disabled
harm injury hurt injured
heat warm hot heating
help assistance aid support
hide conceal
high tall height
hire rent rental lease
holiday leave vacation
home house
hour hours time
ill sick illness sickness unwell
image picture photo photograph
inform tell notify report
install set up setup
insurance insured cover
internet web online
job work task
join merge combine
jump leap
keep store hold retain

kill terminate stop
lady woman female
language locale
large big
late delay delayed overdue
launch start run
law legal rule regulation byelaw
leak spill leaked spilled spillage
leash lead
length long
licence license permit permission
lift raise elevator hoist
limit maximum most restriction
list enumerate
live reside residential aboard
loan borrow lend
location place site where
log record journal
lorry truck
lose lost missing
lunch break
mail post letter
main chief principal
maximum most largest greatest limit
meet meeting
message notice
metre metres meter m
mile miles mileage
minimum least smallest
mistake error wrong
money cash refund payment
moor mooring moored tie berth
move shift transfer
name title
night overnight
noise loud noisy
number count amount
offence violation breach
often frequency frequent every
open opened opening unlock
operate work run use
order sequence
owner holder
package parcel
paint painting
park parking
parse read
password passphrase credential
pause break
people persons person crew
permit licence permission
petrol fuel
phone telephone call ring dial
picture image figure
place location spot site
play run
pole stake
police constable
print printer printing
problem issue trouble fault difficulty
protect safeguard secure
pull drag
pull remove weed
push press
put place insert
query question
queue wait waiting
quick fast
quit exit leave
quote estimate
reach contact
rebuild compile
refund repayment reimburse reimbursed refunded money back
remove delete uninstall
rent hire let
repair fix mend maintenance works
replace exchange swap
report tell notify
reset restart reboot
restart reboot
road street
rope line
rubbish litter waste refuse
rule regulation policy requirement must
run execute start
safe safety secure
sale sell sold
save store keep
school pupil student
sea ocean
sell sold sale
send submit post
server host
set configure define
ship boat vessel craft
shop store
sink sank sunk sunken
sluice valve
smell odour
smoke smoking
sort order
speed fast limit
split divide separate
spouse partner wife husband
start begin
stay stop remain moor
steal theft stolen stole
stop halt cease end stay
store keep save
storm wind gale
stuck jammed jam
swim swimming bathe bathing
switch toggle
telephone phone
text string
throw discard
ticket pass
time hour date
toilet wc lavatory pump-out
top summit
towpath path track
train training course
travel journey trip mileage
tree branch
turn wind rotate
type kind
unit measure
update upgrade
upload send
urgent emergency
use employ utilise usage
vacation holiday leave
version release edition
view see show
visit visitor
voluntary volunteer
wait queue delay
walk pedestrian foot walking
warn warning alert
wash clean
water tap drinking
week weekly
wed wedding marry marriage
weed plant
wide wider widest width beam
longer longest shorter shortest length
deeper deepest shallower depth draught
higher highest lower lowest height rise level
heavier heaviest lighter lightest weight
older oldest younger youngest age
faster fastest slower slowest speed
dearer dearest cheaper cheapest fee price cost charge
larger largest bigger biggest size capacity
farther farthest further furthest nearer nearest distance miles
winter november december january february march
summer june july august april september october
spring march april may
autumn september october november
weekend saturday sunday
work job
work function
year annual 12 months
"""


def _read() -> dict[str, frozenset[str]]:
    found: dict[str, set[str]] = {}
    for line in _GROUPS.strip().split("\n"):
        stems = {stem(word) for word in line.split()}
        for one in stems:
            found.setdefault(one, set()).update(stems - {one})
    return {word: frozenset(others) for word, others in found.items()}


OTHERS = _read()
