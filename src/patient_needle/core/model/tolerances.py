"""Every tolerance of the core in one place, each with its reason.

Lengths that belong to the engine are given as shares of the cloth's spacing or of the contact gap, so
that a scene ten times as large behaves the same.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

# Effort. Substeps per frame come from this ladder only, so that a few factors serve the whole shot.
LADDER = (1, 2, 4, 8, 16, 32)
ACCEPT_ROUNDS = 5  # solve, then look at contact again: at most so often before the substep is halved
STIFFEN_FROM = 3  # from this round on the rows push four times as hard each round
SUBSTEP_HALVINGS = 2  # how often a substep that is not accepted may be halved
ROUGH_SHARE = 0.25  # of the spacing: a solution that still moves further deserves more passes
# "At rest" is asked with a step so long that inertia hardly counts next to weight and tension, in s.
UNREST, UNREST_ITERATIONS, UNREST_TOLERANCE = 4.0, 200, 1e-2

# Newton's method and its line search.
LINE_SEARCH_HALVINGS = 6  # a step under a 64th counts as none
EXTRA_PASSES = 2  # times as many passes where the solution still moves a lot
ALREADY_THERE = 0.2  # of the step tolerance: the preconditioned gradient is about the step to come
ARMIJO_SHARE = 1e-4  # share of the predicted fall that a step must bring (L. Armijo, 1966)
ENERGY_ROUNDING = 1e-12  # share of the energy that summing it may lose
LOCAL_BENDING = 40.0  # bending stiffness of a vertex over its inertia: below, no factor of bending is made
LEAST_FIXING = 1e-3  # N/m on one vertex, next to membranes of hundreds: softer links stay out of the factor
EXACT_ITERATIONS, EXACT_TOLERANCE = 24, 0.03  # of conjugate gradients with the matrix's own factor
MOST_SOLVES = 8  # of one Newton pass: after more, the next pass makes a new factor

# Friction.
ON_LIMIT = 1.0 + 1e-6  # of the limit: what slipped last stands at it but for rounding, and counts as held

# The first guess of a substep.
GUESS_SWEEPS = 10  # over the rows: a stack of so many layers is guessed well
LANDING_SHARE = 0.01  # of its gap: how far within it a pair that meets anew is put

# Contact rows.
REST_SHARE = 0.8  # of the distance at rest: below it, parts of one garment push each other
LEAST_PUSH_SHARE = 1 / 3  # of a pair's push, on a corner that is not where its members are nearest
REST_ROOM = 1.05  # of the widest gap: as far as pairs at rest are looked for

# The filter, which has the last word on every substep.
FILTER_ROUNDS = 4  # of building rows and projecting, at most, before the path is cut in two
FILTER_SWEEPS = 60  # of Gauss-Seidel, at most, in one round
DEEPEST_CUT = 3  # times that a path is cut in two, at most, before what is in the way is released
RELEASE_ROUNDS = 96  # attempts to find a path by releasing, at most: an end to waiting
CARRY_ATTEMPTS = 3  # every so many attempts the part releases cloth, where it can
PRESSING_GAPS = 2.0  # gaps: what is nearer than that to cloth that is caught presses on it
STANDSTILL_ROUND = 30  # from here on the cloth stands still, and what holds give it may run into it

# Cloth that cannot touch itself.
FAN_COSINE = 0.5  # of the furthest that a triangle of a flat fan leans from the mean: 60 degrees
LEAST_PATCH = 8  # triangles of a patch; smaller ones are fans
PATCH_TURN_COSINE = 0.5  # of the most that a patch may turn in one substep
SEEN_APART = 4.0  # times the distance to be seen apart, along the outline: what is nearer there may be near

# Untangling: cloth that has gone through cloth.
TANGLE_RINGS = 1  # of triangles around a contour that may be drawn
KNOT_PLACES = 3  # places of a contour that is a mere knot
KNOT_SMOOTHING = 0.3  # of the way to its neighbours' mean, that a knot goes at once
TANGLE_DEPTH = 0.12  # m; what is further from its contour is not drawn through it
SIDE_AGREEMENT = 0.5  # mean of the sides along a contour, from which on they tell a side
GRAZING_SHARE = 1.0  # of a contour's pull, how much of it may come from edges that graze a sheet
UNTANGLE_ROUNDS = 200  # at most, before a start is refused
UNTANGLE_PATIENCE = 40  # rounds without fewer crossings, after which it is given up
UNTANGLE_PULL = 0.12  # of the spacing, how far cloth is asked to come out at once
UNTANGLE_MOVE = 0.3  # of the spacing, how far it goes at once
UNTANGLE_SECONDS = 1 / 96  # of a round: inertia holds what nothing draws

# Pinched places, and the way out of a body.
EASING_REACH = 0.05  # m; deeper cloth is not drawn to a surface that may be the far side
EASING_STEP = 1.5  # of the gap: how far a vertex is asked to come out at once; limbs that move undo less
EASING_PROBES = 10  # on the way through a limb to its far side
TELLING_VERTICES = 3  # so many vertices beside a patch tell its side ...
TELLING_LEAN = 0.3  # ... if they lean so much to it on average, from -1 to 1
CONTRARY_COSINE = -0.5  # from which on a surface leads another way than a patch is to go
WRAPPED_NORMAL = 0.5  # mean length of a patch's unit normals: below it the patch goes round a limb
SUNK_REACH = 0.06  # m: cloth this near to a part that has sunk into another waits until it comes out again
COVER_LIFT = 1e-4  # m above a surface, where it is asked whether something covers it
CLASP_STIFFNESS = 10.0  # times the stiffness of contact: how firmly a pinched vertex sticks
CLASP_STRAIN = 0.007  # of the cloth beside it, with whose pull it slips: pinched cloth slides, never tears
PARTED = 2.5  # times the least that cloth and gaps between two closing parts take up: folds take the rest
DRAWN_IN = 2e-4  # m: a surface that is drawn in further is not where one sees it
MOST_PARTED = 0.03  # m that two parts are held apart at most
PARTING_REST = (0.6, 0.004)  # of how far apart two parts are at first, less so many m: no more room than that
PARTING_FACES = (0.1, 0.4)  # cosines between which two surfaces begin to face each other, and do
PARTING_REACH = 0.06  # m that a part may have sunk into another and is still drawn out
PARTING_SLIM = 0.75  # of a part's radius: it is never drawn in further
PARTING_SLOPE = 0.35  # m in a m of the body: how steeply a hollow may begin
PARTING_ROUNDS, PARTING_PASSES = 4, 4  # how often what is lacking is asked again; rounds of smoothing

# Holds.
FIRMEST_SEAM = 0.999  # grip, 10 um under the garment's weight: two cloths that move cannot simply be placed
FIRMEST_SLIDING = 0.95  # grip, 0.5 mm under the garment's weight; what may slide is never welded
BASTED_FIRMNESS = 4.0  # times the cloth's own stiffness: buttons that bear a pull open by tenths of a mm
SPEED_STEP = 1e-3  # frames, to tell the speed of a place by

# Hands. A pull lifts a hanging skirt by its hem within a centimetre; it slips before light cloth gives.
PULL_FIRMNESS = 400.0  # N/m of all of it
PULL_SPEED = 1.5  # m/s: as fast as a hand draws cloth; a pointer that leaps is followed
PULL_MOST = 60.0  # N for each metre of cloth that it takes, across its reach
PIN_FIRMNESS, PIN_DAMPING, PIN_MOST = 2000.0, 0.02, 30.0  # N/m, s, N
PIN_REACH, PIN_ON_BODY = 0.015, 0.08  # m: of cloth that a pin holds, and from there to a body it may go through
SMOOTHING = 20_000.0  # N/m for each kg: a vertex goes to the middle of its neighbours within 0.1 s
FITTING_STEP = 1 / 48  # s of cloth time in one step of a fitting
FITTING_SUBSTEPS = 2  # of a step, at least, with a figure that stands still
STRAINED_SUBSTEPS = (8, 8, 4, 2)  # of the first steps from an interpolated pose: folds in it spring back
REST_SUBSTEPS = 1  # of a step on the way to rest: of two, a step costs double and goes little further
REST_AIR = 10.0  # 1/s, drag over mass on the way to rest: a swing of 0.8 Hz is critically damped
REST_DAMPING = 0.1  # of the fabrics' own damping on the way to rest: more of it only holds up slow creep
REST_STICTION = 1.5  # factor on friction of still cloth on the way to rest
REST_SLOW = 0.05  # m/s on the mean, at which that factor has come down to 1
ENTER_SPEED = 0.5  # m/s: how fast a set piece comes in
ENTER_FROM = 0.02  # share of its size that a closed one begins with
CLEARANCE_SPEED = 0.05  # m/s: how fast a clearance that was changed by hand grows

# Geometry.
NO_AREA = 1e-12  # of the square of its area before: a triangle that shrinks to this has none
QUAD_CORNER = 1e-5  # share of a quad's area: a corner that turns by less is looked at on its own
SHEAR_SHARE = 1e-4  # of the product of two scales: float32 files round this much
BONE_LENGTH_SHARE = 0.02  # of a bone, from which on two skeletons are called unlike
OFF_SURFACE = 1e-4  # m that a place may lie off the surface before its facing counts
SAME_SIDE_COSINE = 0.5  # between a place's facing and a triangle's that is still the same side

# Snags of a take.
CRUMPLED = 0.3  # least singular value of a triangle's deformation: cloth folds long before it shrinks so far
FOLDED_COSINE, FOLDED_NEIGHBOURS = (
    -0.7,
    3,
)  # a triangle turned against so many neighbours is no fold of the cloth
OFF_HOLD, OFF_HOLD_SPACING = 2e-3, 0.25  # m, and of the spacing: float32 and another rate's cubic stay below
JUMP, JUMP_SPACING = 6e-3, 0.8  # m, and of the spacing: less is not seen as a pop at 24 frames a second
JUMP_SHARE = 2.0  # times what the place jumps at most around: cloth in a gust flaps far every third frame
JUMP_STEPS = 0.7  # of its longest way in a frame around: what is whipped far may also turn fast
JUMP_WINDOW, JUMP_BESIDE = 10, 3  # frames before and after that are compared with, without those beside
JUMP_BODY_REACH, JUMP_BODY_SHARE = 0.06, 0.5  # m; share of a jump that its body must not make itself
JITTER, JITTER_FRAMES = 3e-4, 9  # m, frames: cloth at rest shakes by hundredths of that
JITTER_STEPS, JITTER_DRIFT = 2.0, 5e-4  # times its shaking, and m, that nothing at rest goes further in a frame
SNAG_GAP = 3  # frames that a snag may be unseen and still be the same one
SNAG_NEAR = 0.04  # m: places of one kind this near at the same time are one snag
SNAG_RINGS = 2  # of vertices around a place that belong to it
SNAG_FEWEST = 3  # vertices in all frames; what is smaller is left out unless cloth crosses there
SNAG_FOLDED = 0.5  # share of a lesser snag that lies in a greater one, from which on it is a symptom of it

# Remedies.
AGAIN_WORTH = 0.1  # share of the cloth that has to stay, for the region to be solved alone
AGAIN_FIRMEST = 0.999  # grip that draws cloth to its take at the region's rim: 10 um under its weight
AGAIN_COMING = 12.0  # frames in which cloth that was begun anew is taken to where its take has it
AGAIN_LEAST = 1e-3  # grip below which nothing is drawn
AGAIN_BLEND = 1 / 3  # share of a remedy from which on what was simulated is taken as it is
EASE_ROUNDS = 16  # of displacing and looking again, at most
EASE_SWEEPS = 120  # of relaxation in each
EASE_TIME, EASE_CLOTH = 1.0, 0.5  # weight of smoothness in time and along the cloth, against shortness
EASE_AGREES = 0.2  # cosine between the nearest way out and the side cloth came from, below which it is another
EASE_NUDGE = 0.7  # of what two triangles still cross by: several pull at each vertex
SMOOTH_STRENGTH = 12.0  # of second differences against nearness: takes half of what swings in seven frames
SMOOTH_PASSES, SMOOTH_STEP, SMOOTH_SHRINK = 10, 0.5, -0.53  # of smoothing in space; shrinks, then grows
CALM_LEAST_CUT = 2.5  # Hz; slower is primary motion (common practice, no source)
CALM_LEAVES = 0.1  # share of faster motion in what a take is drawn to at full calm; running it again adds to it
CALM_GRIP, CALM_PAD = 0.99, 24  # how firmly a calmed take is drawn; frames the filter goes on beyond either end
CALM_TWICE = 0.5  # calm from which on a take is calmed a second time
CLEAR_FRAMES, CLEAR_ROUNDS, CLEAR_PASSES = 6, 6, 20  # frames ahead and behind; rounds; of evening out in each
CLEAR_REACH, CLEAR_MARGIN = 0.1, 0.003  # m: deeper in a body no way is known; kept beyond the gap at full calm
PROOF_BESIDE, PROOF_JOIN = 3, 6  # frames beside a remedy that are looked at; that tell a take's usual motion
PROOF_FEW, PROOF_SHARE = 3, 0.02  # vertices, and share of those before, by which no kind of fault may grow
PROOF_TRIFLE = 0.005  # of the crossings that are gone: what may come up for them and still be better
PROOF_GROWTH = 0.05  # by which overstretch that was there may grow: cloth that is parted is drawn a little
MEND_ALL_TURNS = 200  # remedies in one mending of everything, at most
MEND_BRIDGED = 16  # frames of a fault that a curve from before to after it may bridge, as a guide
MEND_EASE_MOST = (
    40_000  # vertices times frames: larger places are run again, which is as fast and holds the cloth
)
ROOM_LIFT = 1e-4  # m of clearance that is left at least where room is made

# Deliveries. float32 keeps seven digits: 0.01 mm leaves room for a point ten metres from the origin.
DELIVERY_ERROR = 1e-5  # m


@dataclass(frozen=True)
class Tolerances:
    """Shares and limits used by checks and by the engine."""

    # A triangle whose area is under this share of its longest edge squared has no usable normal.
    zero_area_share: float = 1e-7
    # UV triangles whose edge lengths all lie within this share of the 3D ones make a pattern.
    pattern_share: float = 0.10
    # The filter leaves this share of the gap that a pair had, never more than the soft gap.
    hard_share: float = 0.3
    # ... but not less than this share of the soft gap, so that rounding cannot close it.
    hard_floor_share: float = 0.02
    # A pair's normal may be taken from the surface when its gap along that is this share of the whole gap.
    aligned_share: float = 0.9
    # A projected row may end at half its hard gap: Gauss-Seidel then stops a few sweeps sooner.
    row_slip: float = 0.5
    # One more Newton pass while a row misses its hard gap by more than this share of the soft gap.
    accept_share: float = 0.5
    # ... or by more than this share of the spacing, where the gap is far smaller: the filter bridges that.
    accept_spacing: float = 0.05
    # In a pinched place the hard gap shrinks to this share before anything is released.
    pinch_share: float = 0.02
    # Human stature in metres outside which a character's unit is probably wrong.
    stature_low: float = 0.4
    stature_high: float = 3.0
    # Sum of skin weights must be this near to 1.
    weight_sum: float = 1e-3
    # A garment vertex further than this from the surface it is held to cannot follow it.
    hold_reach: float = 0.25
    # Strain beyond which an edge is a fault where its fabric has no limit (common practice, no source).
    overstretch: float = 0.15


DEFAULT = Tolerances()


# Sewing.
SEAM_UNEVEN = 0.03  # share by which a seam's sides may differ without anybody asking
GATHER_MOST = 3.0  # cloth over the edge that it is sewn to, at most
GATHER_FROM = 1.03  # from here on a sewn edge counts as gathered
SEWN_MOST_VERTICES = 100_000
SEW_STILL, SEW_GROW, SEW_BACK = 6, 20, 8  # steps on the thin figure, while it grows, while its limbs return
SEW_DRAG = 10.0  # kg/(m2 s), air that calms the cloth before it falls
SEW_REST, SEW_SHARE, SEW_MOST = 0.5e-3, 0.99, 96  # m from rest at which so much is sewn; steps at most


@dataclass(frozen=True)
class Patience:
    """Solver effort behind one word.

    substeps         the least number per frame
    travel           m a collider point may move in one substep before the engine takes more
    newton_passes    elastic passes per substep before contact is looked at again
    cg_iterations    at most, per Newton pass
    cg_tolerance     residual drop at which conjugate gradients stop
    step_tolerance   Newton stops when it moves nothing further than this share of the spacing
    exact            whether every solve has the matrix's own factor; else only one that fails without it has
    """

    name: str
    substeps: int
    travel: float
    newton_passes: int
    cg_iterations: int
    cg_tolerance: float
    step_tolerance: float
    exact: bool = False

    def with_exact(self) -> Patience:
        """Solves with the matrix's own factor: an iteration brings more, what is left is seen truly."""
        return replace(
            self, exact=True, cg_iterations=max(self.cg_iterations, EXACT_ITERATIONS),
            cg_tolerance=min(self.cg_tolerance, EXACT_TOLERANCE),
        )  # fmt: skip


FIRST_LOOK = Patience("first-look", 4, 0.045, 3, 12, 0.10, 1e-3)
WORKING = Patience("working", 8, 0.030, 3, 14, 0.05, 5e-4)
FINAL = Patience("final", 16, 0.015, 5, 30, 0.01, 2e-5, exact=True)
ALL = {patience.name: patience for patience in (FIRST_LOOK, WORKING, FINAL)}
