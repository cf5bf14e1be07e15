"""Settings of instruments, as :meth:`.Instrument.layer` and its like give them.

Made by `make reference` from the declarations; do not edit.
"""

# fmt: off
from __future__ import annotations

from typing import ClassVar, Literal


class KindSettings:
    """Settings of something that is of a kind; the real ones refuse what is out of range."""

    KIND: ClassVar[str]


class InstrumentSettings:
    """The whole instrument."""

    level: float
    """Level of the whole instrument ahead of the limiter. -60 to 6 dB."""
    ceiling: float
    """Highest true peak that the limiter lets out. -12 to 0 dBTP."""
    mode: Literal['poly', 'mono', 'legato']
    """Poly sounds every key; mono and legato one, and legato starts its envelopes only when all keys were up."""
    priority: Literal['last', 'low', 'high']
    """Which held key sounds in mono and legato."""
    voices: int
    """How many voices may sound at once; a stack takes one for each member. 1 to 64."""
    glide: Literal['off', 'by time', 'by rate']
    """Slides from the last key: in a set time, or at a set pace."""
    glide_when: Literal['always', 'when legato']
    """Whether a key struck after all were up glides too."""
    glide_time: float
    """How long a glide lasts, whatever the interval. 1 to 10000 ms."""
    glide_rate: float
    """How fast a glide moves, whatever the interval. 1 to 1200 st/s."""
    unison_detune: float
    """How far the outer members of a stack lie from the key, either way. 0 to 100 ct."""
    unison_spread: float
    """How far the outer members of a stack lie from the middle, either way. 0 to 100 %."""
    tempo: float
    """Beats a minute, for all that counts in beats. 20 to 300 bpm."""
    routes: Literal['on', 'off']
    """Off lets nothing move anything, touch included."""
    morph: float
    """Moves every macro from its setting to its other one. 0 to 100 %."""
    momentum: float
    """How long the gesture pad drifts on when it is let go. 0 to 10000 ms."""
    map_across: float
    """Where between the snapshots on the map one stands, from left to right. 0 to 100 %."""
    map_up: float
    """Where between the snapshots on the map one stands, from bottom to top. 0 to 100 %."""
    tuning: float
    """Frequency of A4; every key follows. 400 to 480 Hz."""
    bend_range: float
    """How far a full turn of a keyboard's bend wheel reaches. 0 to 96 st."""
    seed: int
    """Start of all chance: the same seed and notes give the same samples. 0 to 999999."""


class CloudSettings(KindSettings):
    """A layer: Many short grains from around one place."""

    KIND: ClassVar[str] = "cloud"

    level: float
    """Level of the layer; -60 is silence. -60 to 12 dB."""
    pan: float
    """Place between left (-100) and right (100), at equal power. -100 to 100 %."""
    mute: Literal['off', 'on']
    """Silences the layer; it still moves the layer above it."""
    solo: Literal['off', 'on']
    """Sounds only this layer and others with solo on."""
    effects: Literal['through', 'past']
    """Past keeps the layer out of its own filter, drive and reduction, and of shared effects, so that a low end stays clean."""
    octave: int
    """Transposition in octaves. -5 to 5."""
    pitch: float
    """Transposition against the key. -36 to 36 st."""
    fine: float
    """Transposition in cents. -100 to 100 ct."""
    tracking: Literal['follows', 'fixed']
    """Whether the pitch follows the key, or every key sounds alike."""
    key_low: int
    """Lowest key that sounds the layer. 0 to 127 key."""
    key_high: int
    """Highest key that sounds the layer. 0 to 127 key."""
    key_fade: float
    """Keys over which the layer fades out within each end of its range. 0 to 48 st."""
    velocity_low: int
    """Softest velocity that sounds the layer. 0 to 127."""
    velocity_high: int
    """Hardest velocity that sounds the layer. 0 to 127."""
    velocity_fade: float
    """Velocities over which the layer fades out within each end of its range. 0 to 64."""
    delay: float
    """Wait before the sound begins. 0 to 20000 ms."""
    attack: float
    """Time to rise to the peak. 0.5 to 20000 ms."""
    hold: float
    """Time spent at the peak. 0 to 20000 ms."""
    decay: float
    """Time to fall from the peak to the sustain level. 1 to 20000 ms."""
    sustain: float
    """Level held while the key is down. 0 to 100 %."""
    release: float
    """Time to the end level once the key is up. 1 to 30000 ms."""
    attack_curve: float
    """Curve of the rise. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    decay_curve: float
    """Curve of the fall to sustain. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    release_curve: float
    """Curve of the end. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    start_level: float
    """Level at which the rise begins. 0 to 100 %."""
    peak_level: float
    """Level at which the rise ends. 0 to 100 %."""
    end_level: float
    """Level at which the sound comes to rest. 0 to 100 %."""
    repeat: Literal['off', 'on']
    """Starts again after the decay for as long as the key is down."""
    filter: Literal['off', '12 dB', '24 dB']
    """Steepness of the filter, in dB an octave."""
    cutoff: float
    """Corner of the filter. 20 to 20000 Hz."""
    blend: float
    """From low-pass through band-pass and high-pass to notch, without a step. 0 to 3."""
    resonance: float
    """How much the corner rings. 0 to 100 %."""
    tone_delay: float
    """Wait before the envelope begins. 0 to 20000 ms."""
    tone_attack: float
    """Time to rise to the peak. 0.5 to 20000 ms."""
    tone_hold: float
    """Time spent at the peak. 0 to 20000 ms."""
    tone_decay: float
    """Time to fall from the peak to the sustain level. 1 to 20000 ms."""
    tone_sustain: float
    """Level held while the key is down. 0 to 100 %."""
    tone_release: float
    """Time to the end level once the key is up. 1 to 30000 ms."""
    tone_attack_curve: float
    """Curve of the rise. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_decay_curve: float
    """Curve of the fall to sustain. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_release_curve: float
    """Curve of the end. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_start_level: float
    """Level at which the rise begins. 0 to 100 %."""
    tone_peak_level: float
    """Level at which the rise ends. 0 to 100 %."""
    tone_end_level: float
    """Level at which the envelope comes to rest. 0 to 100 %."""
    tone_repeat: Literal['off', 'on']
    """Starts again after the decay for as long as the key is down."""
    drive: float
    """Saturation; a signal that peaks at -12 dB keeps its peak. 0 to 48 dB."""
    drive_shape: float
    """From soft (0) to hard corners (100). 0 to 100 %."""
    asymmetry: float
    """Leans the saturation to one side, which adds even harmonics. -100 to 100 %."""
    oversampling: Literal['2x', '4x']
    """At 4x a hard drive of high notes stays free of aliasing, for some eight times the work."""
    reduced_rate: float
    """Holds samples at a lower rate; 48 kHz leaves the sound alone. 200 to 48000 Hz."""
    bits: float
    """Steps of level; 24 leaves the sound alone. 1 to 24."""
    link: Literal['off', 'phase', 'rate']
    """Lets this layer's signal move the phase or the rate of the layer above it."""
    link_amount: float
    """Radians of phase, or times the rate, at full signal. 0 to 24."""
    loudness_hold: Literal['off', 'on']
    """Keeps the loudness of this layer steady however strongly it is moved."""
    gather: Literal['a place', 'a likeness']
    """From around a place in time, or from wherever the sound is like a point on the map."""
    across: float
    """Point on the map, from left to right. 0 to 100 %."""
    up: float
    """Point on the map, from bottom to top. 0 to 100 %."""
    reach: float
    """How far from the point segments may lie; the nearest is taken where there is none. 0 to 50 %."""
    across_is: Literal['loudness', 'brightness', 'pitch', 'noisiness', 'flatness']
    """What the map shows from left to right."""
    up_is: Literal['loudness', 'brightness', 'pitch', 'noisiness', 'flatness']
    """What the map shows from bottom to top."""
    position: float
    """Where in the sound grains are taken from. 0 to 100 %."""
    position_scatter: float
    """Random distance from the position, either way. 0 to 50 %."""
    motion: Literal['still', 'speed', 'age', 'path']
    """The position stays, travels at a speed, goes to the end place with the age of the note, or follows the drawn path."""
    drift: float
    """How fast the position travels while a note lasts; 1 is the recording's own pace. -4 to 4 x."""
    position_end: float
    """Where the position arrives after the path time. 0 to 100 %."""
    path_time: float
    """How long the drawn path takes. 10 to 600000 ms."""
    path_end: Literal['once', 'looped']
    """Whether the drawn path stops at its end or starts again."""
    size: float
    """Length of a grain. 5 to 2000 ms."""
    density: float
    """Grains started each second in one voice. 0.5 to 200 /s."""
    regularity: float
    """0 starts grains at random moments, 100 at even ones. 0 to 100 %."""
    alignment: float
    """Chance that a grain starts where it goes on with the wave of the one before, so that tones do not flutter. 0 to 100 %."""
    softness: float
    """How much of a grain is spent fading in and out; low settings are flat and let each grain be heard. 0 to 100 %."""
    skew: float
    """Below zero grains fade in fast, above it they fade out fast. -100 to 100 %."""
    direction: float
    """Chance that a grain plays backward. 0 to 100 %."""
    pitch_scatter: float
    """Random detuning of each grain, either way. 0 to 3600 ct."""
    steps: Literal['anywhere', 'octaves', 'major chord', 'minor chord', 'chromatic', 'major', 'natural minor', 'harmonic minor', 'dorian', 'major pentatonic', 'minor pentatonic', 'whole tone', 'fifths']
    """Intervals from the key that random detuning is drawn to."""
    stereo_scatter: float
    """How far grains land from the middle, either way. 0 to 100 %."""
    level_scatter: float
    """How much quieter a grain may be, at random. 0 to 24 dB."""
    evenness: float
    """Raises grains from quiet places to the level of loud ones. 0 to 100 %."""
    choose: Literal['range', 'in turn', 'chance', 'control']
    """How a note picks among the layer's sounds: by key and velocity, one after another, at random without repeating, or by a control."""
    borders: Literal['hard', 'crossfaded']
    """Whether neighbouring sounds change over at once or blend."""
    choice: float
    """Which sound is chosen, from the first (0) to the last (100). 0 to 100 %."""
    pick: Literal['each note', 'each grain']
    """Whether a note keeps its sound or every grain picks anew."""


class LoopSettings(KindSettings):
    """A layer: A sound read with a loop in it."""

    KIND: ClassVar[str] = "loop"

    level: float
    """Level of the layer; -60 is silence. -60 to 12 dB."""
    pan: float
    """Place between left (-100) and right (100), at equal power. -100 to 100 %."""
    mute: Literal['off', 'on']
    """Silences the layer; it still moves the layer above it."""
    solo: Literal['off', 'on']
    """Sounds only this layer and others with solo on."""
    effects: Literal['through', 'past']
    """Past keeps the layer out of its own filter, drive and reduction, and of shared effects, so that a low end stays clean."""
    octave: int
    """Transposition in octaves. -5 to 5."""
    pitch: float
    """Transposition against the key. -36 to 36 st."""
    fine: float
    """Transposition in cents. -100 to 100 ct."""
    tracking: Literal['follows', 'fixed']
    """Whether the pitch follows the key, or every key sounds alike."""
    key_low: int
    """Lowest key that sounds the layer. 0 to 127 key."""
    key_high: int
    """Highest key that sounds the layer. 0 to 127 key."""
    key_fade: float
    """Keys over which the layer fades out within each end of its range. 0 to 48 st."""
    velocity_low: int
    """Softest velocity that sounds the layer. 0 to 127."""
    velocity_high: int
    """Hardest velocity that sounds the layer. 0 to 127."""
    velocity_fade: float
    """Velocities over which the layer fades out within each end of its range. 0 to 64."""
    delay: float
    """Wait before the sound begins. 0 to 20000 ms."""
    attack: float
    """Time to rise to the peak. 0.5 to 20000 ms."""
    hold: float
    """Time spent at the peak. 0 to 20000 ms."""
    decay: float
    """Time to fall from the peak to the sustain level. 1 to 20000 ms."""
    sustain: float
    """Level held while the key is down. 0 to 100 %."""
    release: float
    """Time to the end level once the key is up. 1 to 30000 ms."""
    attack_curve: float
    """Curve of the rise. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    decay_curve: float
    """Curve of the fall to sustain. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    release_curve: float
    """Curve of the end. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    start_level: float
    """Level at which the rise begins. 0 to 100 %."""
    peak_level: float
    """Level at which the rise ends. 0 to 100 %."""
    end_level: float
    """Level at which the sound comes to rest. 0 to 100 %."""
    repeat: Literal['off', 'on']
    """Starts again after the decay for as long as the key is down."""
    filter: Literal['off', '12 dB', '24 dB']
    """Steepness of the filter, in dB an octave."""
    cutoff: float
    """Corner of the filter. 20 to 20000 Hz."""
    blend: float
    """From low-pass through band-pass and high-pass to notch, without a step. 0 to 3."""
    resonance: float
    """How much the corner rings. 0 to 100 %."""
    tone_delay: float
    """Wait before the envelope begins. 0 to 20000 ms."""
    tone_attack: float
    """Time to rise to the peak. 0.5 to 20000 ms."""
    tone_hold: float
    """Time spent at the peak. 0 to 20000 ms."""
    tone_decay: float
    """Time to fall from the peak to the sustain level. 1 to 20000 ms."""
    tone_sustain: float
    """Level held while the key is down. 0 to 100 %."""
    tone_release: float
    """Time to the end level once the key is up. 1 to 30000 ms."""
    tone_attack_curve: float
    """Curve of the rise. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_decay_curve: float
    """Curve of the fall to sustain. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_release_curve: float
    """Curve of the end. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_start_level: float
    """Level at which the rise begins. 0 to 100 %."""
    tone_peak_level: float
    """Level at which the rise ends. 0 to 100 %."""
    tone_end_level: float
    """Level at which the envelope comes to rest. 0 to 100 %."""
    tone_repeat: Literal['off', 'on']
    """Starts again after the decay for as long as the key is down."""
    drive: float
    """Saturation; a signal that peaks at -12 dB keeps its peak. 0 to 48 dB."""
    drive_shape: float
    """From soft (0) to hard corners (100). 0 to 100 %."""
    asymmetry: float
    """Leans the saturation to one side, which adds even harmonics. -100 to 100 %."""
    oversampling: Literal['2x', '4x']
    """At 4x a hard drive of high notes stays free of aliasing, for some eight times the work."""
    reduced_rate: float
    """Holds samples at a lower rate; 48 kHz leaves the sound alone. 200 to 48000 Hz."""
    bits: float
    """Steps of level; 24 leaves the sound alone. 1 to 24."""
    link: Literal['off', 'phase', 'rate']
    """Lets this layer's signal move the phase or the rate of the layer above it."""
    link_amount: float
    """Radians of phase, or times the rate, at full signal. 0 to 24."""
    loudness_hold: Literal['off', 'on']
    """Keeps the loudness of this layer steady however strongly it is moved."""
    start: float
    """Where in the sound a note begins. 0 to 100 %."""
    start_scatter: float
    """Random distance from the start, either way. 0 to 100 %."""
    motion: Literal['with pitch', 'speed', 'path']
    """The read-head runs as fast as the pitch asks, at a speed of its own, or along the drawn path."""
    speed: float
    """Pace of the read-head apart from pitch; 1 is the recording's own. -4 to 4 x."""
    path_time: float
    """How long the drawn path takes. 10 to 600000 ms."""
    path_end: Literal['once', 'looped']
    """Whether the drawn path stops at its end or starts again."""
    loop: Literal['off', 'forward', 'backward', 'back-and-forth']
    """Which way the loop is read."""
    loop_start: float
    """Where the loop begins. 0 to 100 %."""
    loop_length: float
    """How long the loop lasts; short loops are tones of 1 / length. 0.05 to 180000 ms."""
    crossfade: float
    """Share of the loop that blends its end into its beginning. 0 to 100 %."""
    curve: Literal['equal power', 'linear']
    """Equal power suits unlike sounds, linear those that match."""
    at_release: Literal['stay', 'play on']
    """Whether the loop goes on once the key is up, or the sound runs past it."""
    sync: Literal['off', 'with the note']
    """Restarts the loop at every period of the note."""
    sync_detune: float
    """Pitch of the loop between restarts, against the note. -4800 to 4800 ct."""
    choose: Literal['range', 'in turn', 'chance', 'control']
    """How a note picks among the layer's sounds: by key and velocity, one after another, at random without repeating, or by a control."""
    borders: Literal['hard', 'crossfaded']
    """Whether neighbouring sounds change over at once or blend."""
    choice: float
    """Which sound is chosen, from the first (0) to the last (100). 0 to 100 %."""


class WaveSettings(KindSettings):
    """A layer: A plain wave, or a wavetable."""

    KIND: ClassVar[str] = "wave"

    level: float
    """Level of the layer; -60 is silence. -60 to 12 dB."""
    pan: float
    """Place between left (-100) and right (100), at equal power. -100 to 100 %."""
    mute: Literal['off', 'on']
    """Silences the layer; it still moves the layer above it."""
    solo: Literal['off', 'on']
    """Sounds only this layer and others with solo on."""
    effects: Literal['through', 'past']
    """Past keeps the layer out of its own filter, drive and reduction, and of shared effects, so that a low end stays clean."""
    octave: int
    """Transposition in octaves. -5 to 5."""
    pitch: float
    """Transposition against the key. -36 to 36 st."""
    fine: float
    """Transposition in cents. -100 to 100 ct."""
    tracking: Literal['follows', 'fixed']
    """Whether the pitch follows the key, or every key sounds alike."""
    key_low: int
    """Lowest key that sounds the layer. 0 to 127 key."""
    key_high: int
    """Highest key that sounds the layer. 0 to 127 key."""
    key_fade: float
    """Keys over which the layer fades out within each end of its range. 0 to 48 st."""
    velocity_low: int
    """Softest velocity that sounds the layer. 0 to 127."""
    velocity_high: int
    """Hardest velocity that sounds the layer. 0 to 127."""
    velocity_fade: float
    """Velocities over which the layer fades out within each end of its range. 0 to 64."""
    delay: float
    """Wait before the sound begins. 0 to 20000 ms."""
    attack: float
    """Time to rise to the peak. 0.5 to 20000 ms."""
    hold: float
    """Time spent at the peak. 0 to 20000 ms."""
    decay: float
    """Time to fall from the peak to the sustain level. 1 to 20000 ms."""
    sustain: float
    """Level held while the key is down. 0 to 100 %."""
    release: float
    """Time to the end level once the key is up. 1 to 30000 ms."""
    attack_curve: float
    """Curve of the rise. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    decay_curve: float
    """Curve of the fall to sustain. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    release_curve: float
    """Curve of the end. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    start_level: float
    """Level at which the rise begins. 0 to 100 %."""
    peak_level: float
    """Level at which the rise ends. 0 to 100 %."""
    end_level: float
    """Level at which the sound comes to rest. 0 to 100 %."""
    repeat: Literal['off', 'on']
    """Starts again after the decay for as long as the key is down."""
    filter: Literal['off', '12 dB', '24 dB']
    """Steepness of the filter, in dB an octave."""
    cutoff: float
    """Corner of the filter. 20 to 20000 Hz."""
    blend: float
    """From low-pass through band-pass and high-pass to notch, without a step. 0 to 3."""
    resonance: float
    """How much the corner rings. 0 to 100 %."""
    tone_delay: float
    """Wait before the envelope begins. 0 to 20000 ms."""
    tone_attack: float
    """Time to rise to the peak. 0.5 to 20000 ms."""
    tone_hold: float
    """Time spent at the peak. 0 to 20000 ms."""
    tone_decay: float
    """Time to fall from the peak to the sustain level. 1 to 20000 ms."""
    tone_sustain: float
    """Level held while the key is down. 0 to 100 %."""
    tone_release: float
    """Time to the end level once the key is up. 1 to 30000 ms."""
    tone_attack_curve: float
    """Curve of the rise. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_decay_curve: float
    """Curve of the fall to sustain. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_release_curve: float
    """Curve of the end. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_start_level: float
    """Level at which the rise begins. 0 to 100 %."""
    tone_peak_level: float
    """Level at which the rise ends. 0 to 100 %."""
    tone_end_level: float
    """Level at which the envelope comes to rest. 0 to 100 %."""
    tone_repeat: Literal['off', 'on']
    """Starts again after the decay for as long as the key is down."""
    drive: float
    """Saturation; a signal that peaks at -12 dB keeps its peak. 0 to 48 dB."""
    drive_shape: float
    """From soft (0) to hard corners (100). 0 to 100 %."""
    asymmetry: float
    """Leans the saturation to one side, which adds even harmonics. -100 to 100 %."""
    oversampling: Literal['2x', '4x']
    """At 4x a hard drive of high notes stays free of aliasing, for some eight times the work."""
    reduced_rate: float
    """Holds samples at a lower rate; 48 kHz leaves the sound alone. 200 to 48000 Hz."""
    bits: float
    """Steps of level; 24 leaves the sound alone. 1 to 24."""
    link: Literal['off', 'phase', 'rate']
    """Lets this layer's signal move the phase or the rate of the layer above it."""
    link_amount: float
    """Radians of phase, or times the rate, at full signal. 0 to 24."""
    loudness_hold: Literal['off', 'on']
    """Keeps the loudness of this layer steady however strongly it is moved."""
    shape: Literal['sine', 'triangle', 'saw', 'pulse', 'table']
    """A plain wave, or the frames of a stored wavetable."""
    width: float
    """Share of a pulse's period that is high. 2 to 98 %."""
    frame: float
    """Place in the wavetable. 0 to 100 %."""
    begins: Literal['at its phase', 'where it was']
    """Each note at the phase below, or wherever the last one left the wave."""
    phase: float
    """Where in its period the wave begins. 0 to 100 %."""
    phase_scatter: float
    """Random share of a period added at the start. 0 to 100 %."""
    unison: int
    """How many waves sound together. 1 to 7."""
    unison_detune: float
    """How far the outermost are detuned, either way. 0 to 100 ct."""
    unison_width: float
    """How far they lie apart in stereo. 0 to 100 %."""
    sync: Literal['off', 'with the note']
    """Restarts the wave at every period of the note."""
    sync_detune: float
    """Pitch of the wave between restarts, against the note. -4800 to 4800 ct."""
    lean: float
    """Hurries through the beginning of the period and lingers in its end, or the other way round. -100 to 100 %."""
    squeeze: float
    """Hurries through the beginning and the middle and lingers between, or the other way round. -100 to 100 %."""
    mirror: float
    """Lets the period be read there and back instead of round and round. 0 to 100 %."""


class NoiseSettings(KindSettings):
    """A layer: Noise of a colour, or coloured by a recording."""

    KIND: ClassVar[str] = "noise"

    level: float
    """Level of the layer; -60 is silence. -60 to 12 dB."""
    pan: float
    """Place between left (-100) and right (100), at equal power. -100 to 100 %."""
    mute: Literal['off', 'on']
    """Silences the layer; it still moves the layer above it."""
    solo: Literal['off', 'on']
    """Sounds only this layer and others with solo on."""
    effects: Literal['through', 'past']
    """Past keeps the layer out of its own filter, drive and reduction, and of shared effects, so that a low end stays clean."""
    octave: int
    """Transposition in octaves. -5 to 5."""
    pitch: float
    """Transposition against the key. -36 to 36 st."""
    fine: float
    """Transposition in cents. -100 to 100 ct."""
    tracking: Literal['follows', 'fixed']
    """Whether the pitch follows the key, or every key sounds alike."""
    key_low: int
    """Lowest key that sounds the layer. 0 to 127 key."""
    key_high: int
    """Highest key that sounds the layer. 0 to 127 key."""
    key_fade: float
    """Keys over which the layer fades out within each end of its range. 0 to 48 st."""
    velocity_low: int
    """Softest velocity that sounds the layer. 0 to 127."""
    velocity_high: int
    """Hardest velocity that sounds the layer. 0 to 127."""
    velocity_fade: float
    """Velocities over which the layer fades out within each end of its range. 0 to 64."""
    delay: float
    """Wait before the sound begins. 0 to 20000 ms."""
    attack: float
    """Time to rise to the peak. 0.5 to 20000 ms."""
    hold: float
    """Time spent at the peak. 0 to 20000 ms."""
    decay: float
    """Time to fall from the peak to the sustain level. 1 to 20000 ms."""
    sustain: float
    """Level held while the key is down. 0 to 100 %."""
    release: float
    """Time to the end level once the key is up. 1 to 30000 ms."""
    attack_curve: float
    """Curve of the rise. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    decay_curve: float
    """Curve of the fall to sustain. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    release_curve: float
    """Curve of the end. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    start_level: float
    """Level at which the rise begins. 0 to 100 %."""
    peak_level: float
    """Level at which the rise ends. 0 to 100 %."""
    end_level: float
    """Level at which the sound comes to rest. 0 to 100 %."""
    repeat: Literal['off', 'on']
    """Starts again after the decay for as long as the key is down."""
    filter: Literal['off', '12 dB', '24 dB']
    """Steepness of the filter, in dB an octave."""
    cutoff: float
    """Corner of the filter. 20 to 20000 Hz."""
    blend: float
    """From low-pass through band-pass and high-pass to notch, without a step. 0 to 3."""
    resonance: float
    """How much the corner rings. 0 to 100 %."""
    tone_delay: float
    """Wait before the envelope begins. 0 to 20000 ms."""
    tone_attack: float
    """Time to rise to the peak. 0.5 to 20000 ms."""
    tone_hold: float
    """Time spent at the peak. 0 to 20000 ms."""
    tone_decay: float
    """Time to fall from the peak to the sustain level. 1 to 20000 ms."""
    tone_sustain: float
    """Level held while the key is down. 0 to 100 %."""
    tone_release: float
    """Time to the end level once the key is up. 1 to 30000 ms."""
    tone_attack_curve: float
    """Curve of the rise. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_decay_curve: float
    """Curve of the fall to sustain. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_release_curve: float
    """Curve of the end. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_start_level: float
    """Level at which the rise begins. 0 to 100 %."""
    tone_peak_level: float
    """Level at which the rise ends. 0 to 100 %."""
    tone_end_level: float
    """Level at which the envelope comes to rest. 0 to 100 %."""
    tone_repeat: Literal['off', 'on']
    """Starts again after the decay for as long as the key is down."""
    drive: float
    """Saturation; a signal that peaks at -12 dB keeps its peak. 0 to 48 dB."""
    drive_shape: float
    """From soft (0) to hard corners (100). 0 to 100 %."""
    asymmetry: float
    """Leans the saturation to one side, which adds even harmonics. -100 to 100 %."""
    oversampling: Literal['2x', '4x']
    """At 4x a hard drive of high notes stays free of aliasing, for some eight times the work."""
    reduced_rate: float
    """Holds samples at a lower rate; 48 kHz leaves the sound alone. 200 to 48000 Hz."""
    bits: float
    """Steps of level; 24 leaves the sound alone. 1 to 24."""
    link: Literal['off', 'phase', 'rate']
    """Lets this layer's signal move the phase or the rate of the layer above it."""
    link_amount: float
    """Radians of phase, or times the rate, at full signal. 0 to 24."""
    loudness_hold: Literal['off', 'on']
    """Keeps the loudness of this layer steady however strongly it is moved."""
    colour: Literal['white', 'pink', 'brown', 'recording']
    """Equal level in every Hz, in every octave, falling 6 dB an octave, or shaped like the long-term spectrum of a recording."""
    width: float
    """From one signal in both channels to two unlike ones. 0 to 100 %."""


class SpectralSettings(KindSettings):
    """A layer: The spectrum of a sound, or of several in turn."""

    KIND: ClassVar[str] = "spectral"

    level: float
    """Level of the layer; -60 is silence. -60 to 12 dB."""
    pan: float
    """Place between left (-100) and right (100), at equal power. -100 to 100 %."""
    mute: Literal['off', 'on']
    """Silences the layer; it still moves the layer above it."""
    solo: Literal['off', 'on']
    """Sounds only this layer and others with solo on."""
    effects: Literal['through', 'past']
    """Past keeps the layer out of its own filter, drive and reduction, and of shared effects, so that a low end stays clean."""
    octave: int
    """Transposition in octaves. -5 to 5."""
    pitch: float
    """Transposition against the key. -36 to 36 st."""
    fine: float
    """Transposition in cents. -100 to 100 ct."""
    tracking: Literal['follows', 'fixed']
    """Whether the pitch follows the key, or every key sounds alike."""
    key_low: int
    """Lowest key that sounds the layer. 0 to 127 key."""
    key_high: int
    """Highest key that sounds the layer. 0 to 127 key."""
    key_fade: float
    """Keys over which the layer fades out within each end of its range. 0 to 48 st."""
    velocity_low: int
    """Softest velocity that sounds the layer. 0 to 127."""
    velocity_high: int
    """Hardest velocity that sounds the layer. 0 to 127."""
    velocity_fade: float
    """Velocities over which the layer fades out within each end of its range. 0 to 64."""
    delay: float
    """Wait before the sound begins. 0 to 20000 ms."""
    attack: float
    """Time to rise to the peak. 0.5 to 20000 ms."""
    hold: float
    """Time spent at the peak. 0 to 20000 ms."""
    decay: float
    """Time to fall from the peak to the sustain level. 1 to 20000 ms."""
    sustain: float
    """Level held while the key is down. 0 to 100 %."""
    release: float
    """Time to the end level once the key is up. 1 to 30000 ms."""
    attack_curve: float
    """Curve of the rise. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    decay_curve: float
    """Curve of the fall to sustain. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    release_curve: float
    """Curve of the end. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    start_level: float
    """Level at which the rise begins. 0 to 100 %."""
    peak_level: float
    """Level at which the rise ends. 0 to 100 %."""
    end_level: float
    """Level at which the sound comes to rest. 0 to 100 %."""
    repeat: Literal['off', 'on']
    """Starts again after the decay for as long as the key is down."""
    filter: Literal['off', '12 dB', '24 dB']
    """Steepness of the filter, in dB an octave."""
    cutoff: float
    """Corner of the filter. 20 to 20000 Hz."""
    blend: float
    """From low-pass through band-pass and high-pass to notch, without a step. 0 to 3."""
    resonance: float
    """How much the corner rings. 0 to 100 %."""
    tone_delay: float
    """Wait before the envelope begins. 0 to 20000 ms."""
    tone_attack: float
    """Time to rise to the peak. 0.5 to 20000 ms."""
    tone_hold: float
    """Time spent at the peak. 0 to 20000 ms."""
    tone_decay: float
    """Time to fall from the peak to the sustain level. 1 to 20000 ms."""
    tone_sustain: float
    """Level held while the key is down. 0 to 100 %."""
    tone_release: float
    """Time to the end level once the key is up. 1 to 30000 ms."""
    tone_attack_curve: float
    """Curve of the rise. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_decay_curve: float
    """Curve of the fall to sustain. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_release_curve: float
    """Curve of the end. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    tone_start_level: float
    """Level at which the rise begins. 0 to 100 %."""
    tone_peak_level: float
    """Level at which the rise ends. 0 to 100 %."""
    tone_end_level: float
    """Level at which the envelope comes to rest. 0 to 100 %."""
    tone_repeat: Literal['off', 'on']
    """Starts again after the decay for as long as the key is down."""
    drive: float
    """Saturation; a signal that peaks at -12 dB keeps its peak. 0 to 48 dB."""
    drive_shape: float
    """From soft (0) to hard corners (100). 0 to 100 %."""
    asymmetry: float
    """Leans the saturation to one side, which adds even harmonics. -100 to 100 %."""
    oversampling: Literal['2x', '4x']
    """At 4x a hard drive of high notes stays free of aliasing, for some eight times the work."""
    reduced_rate: float
    """Holds samples at a lower rate; 48 kHz leaves the sound alone. 200 to 48000 Hz."""
    bits: float
    """Steps of level; 24 leaves the sound alone. 1 to 24."""
    link: Literal['off', 'phase', 'rate']
    """Lets this layer's signal move the phase or the rate of the layer above it."""
    link_amount: float
    """Radians of phase, or times the rate, at full signal. 0 to 24."""
    loudness_hold: Literal['off', 'on']
    """Keeps the loudness of this layer steady however strongly it is moved."""
    morph: float
    """Place on the way through the layer's sounds, from the first to the last. 0 to 100 %."""
    morph_amount: float
    """How far the morph leads away from the first sound. 0 to 100 %."""
    matching: Literal['by itself', 'by ratio', 'by frequency']
    """Partials that turn into each other: at the same multiple of their roots, or at the same frequency; by itself, by ratio where every sound has a root."""
    position: float
    """Where in the sound a note begins, or stays. 0 to 100 %."""
    motion: Literal['speed', 'still', 'path']
    """The place travels at a speed, stays frozen, or follows the drawn path."""
    speed: float
    """Pace apart from pitch; 1 is the recording's own, below zero runs backward. -4 to 4 x."""
    path_time: float
    """How long the drawn path takes. 10 to 600000 ms."""
    path_end: Literal['once', 'looped']
    """Whether the drawn path stops at its end or starts again."""
    at_end: Literal['stay', 'end', 'loop', 'back-and-forth']
    """What happens where the sound ends: it stays in its last moment, the note ends, or it goes round between the loop points."""
    loop_start: float
    """Where the loop begins. 0 to 100 %."""
    loop_length: float
    """How long the loop lasts at its own pace; it ends with the sound at the latest. 20 to 180000 ms."""
    loop_blend: float
    """Share of the loop over which its end turns into its beginning. 0 to 50 %."""
    most: float
    """How many partials are kept, the strongest first. 1 to 128."""
    gate: float
    """Partials that lie farther below the strongest are left out. -90 to 0 dB."""
    stretch: float
    """Spreads partials apart or draws them together about the root, as a power of their ratio. -50 to 50 %."""
    shift: float
    """Moves every partial by as many hertz. -2000 to 2000 Hz."""
    odd_even: float
    """Below zero only the odd multiples of the root, above it only the even ones. -100 to 100 %."""
    detune: float
    """Random detuning of each partial, either way. 0 to 200 ct."""
    steps: Literal['anywhere', 'octaves', 'major chord', 'minor chord', 'chromatic', 'major', 'natural minor', 'harmonic minor', 'dorian', 'major pentatonic', 'minor pentatonic', 'whole tone', 'fifths']
    """Intervals from the key that partials are drawn to."""
    pull: float
    """How far partials are drawn to the nearest of these intervals. 0 to 100 %."""
    phases: float
    """Turns every partial to a phase of its own, which takes the edge off. 0 to 100 %."""
    balance: float
    """From partials alone to noise alone. -100 to 100 %."""
    strikes: float
    """Level of beginnings that are kept as they were; lowest is off. -60 to 12 dB."""
    smear: float
    """Turns strikes into noise that lasts as long as the blur. 0 to 100 %."""
    blur_time: float
    """Levels are the mean of so long. 0 to 4000 ms."""
    blur_frequency: float
    """Levels are shared out among neighbouring partials and bands. 0 to 100 %."""
    tilt: float
    """Added with every octave above the root. -12 to 12 dB."""
    formants: Literal['with pitch', 'kept']
    """Whether the outline of the spectrum moves with the pitch or stays."""
    formant_shift: float
    """Moves the outline by itself. -24 to 24 st."""
    drawn: float
    """How much of the drawn filter is heard. 0 to 100 %."""
    placed: float
    """How far the parts of a stereo recording stand where they stood; the rest goes by spread and width. 0 to 100 %."""
    spread: float
    """How far partials lie from the middle, the root stays. 0 to 100 %."""
    width: float
    """From one noise in both channels to two unlike ones. 0 to 100 %."""


class LfoModulatorSettings(KindSettings):
    """A modulator: A wave that goes round."""

    KIND: ClassVar[str] = "lfo"

    clock: Literal['Hz', 'beats']
    """Whether the pace is set by itself or by the tempo."""
    rate: float
    """Cycles a second. 0.001 to 60 Hz."""
    beats: float
    """Beats a cycle. 0.0625 to 256 beats."""
    key_rate: float
    """How far the pace follows the key: at 100 % an octave up is twice as fast. -100 to 100 %."""
    wave: Literal['sine', 'triangle', 'ramp', 'pulse', 'steps of chance', 'curves of chance', 'drawn']
    """The shape of a cycle."""
    width: float
    """Share of the cycle spent at the top. 1 to 99 %."""
    phase: float
    """Where in the cycle it starts. 0 to 100 %."""
    delay: float
    """Wait before it begins. 0 to 60000 ms."""
    fade: float
    """Time to swing out fully. 0 to 60000 ms."""
    restart: Literal['with each note', 'with each phrase', 'never']
    """A phrase begins when a key goes down while none is."""
    once: Literal['round and round', 'once']
    """Once stays where it ends."""
    right_phase: float
    """How far the other side runs ahead, in cycles. -100 to 100 %."""
    right_rate: float
    """How much faster the other side runs. -2 to 2 oct."""


class EnvelopeModulatorSettings(KindSettings):
    """A modulator: Rises and falls with each note."""

    KIND: ClassVar[str] = "envelope"

    delay: float
    """Wait before the envelope begins. 0 to 20000 ms."""
    attack: float
    """Time to rise to the peak. 0.5 to 20000 ms."""
    hold: float
    """Time spent at the peak. 0 to 20000 ms."""
    decay: float
    """Time to fall from the peak to the sustain level. 1 to 20000 ms."""
    sustain: float
    """Level held while the key is down. 0 to 100 %."""
    release: float
    """Time to the end level once the key is up. 1 to 30000 ms."""
    attack_curve: float
    """Curve of the rise. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    decay_curve: float
    """Curve of the fall to sustain. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    release_curve: float
    """Curve of the end. Below zero it starts slowly, above it starts fast. -100 to 100 %."""
    start_level: float
    """Level at which the rise begins. 0 to 100 %."""
    peak_level: float
    """Level at which the rise ends. 0 to 100 %."""
    end_level: float
    """Level at which the envelope comes to rest. 0 to 100 %."""
    repeat: Literal['off', 'on']
    """Starts again after the decay for as long as the key is down."""


class ShapeModulatorSettings(KindSettings):
    """A modulator: Any curve over time, once or with a loop in it."""

    KIND: ClassVar[str] = "shape"

    clock: Literal['ms', 'beats']
    """Whether the length is set by itself or by the tempo."""
    time: float
    """How long the whole shape takes. 10 to 600000 ms."""
    beats: float
    """Beats the whole shape takes. 0.0625 to 256 beats."""
    loop: Literal['off', 'until release', 'always', 'wait there']
    """Repeats the stretch below, or waits at its end for the key to go up."""
    loop_from: float
    """Where the repeated stretch begins. 0 to 100 %."""
    loop_to: float
    """Where it ends. 0 to 100 %."""
    restart: Literal['with each note', 'with each phrase', 'never']
    """A phrase begins when a key goes down while none is."""


class StepsModulatorSettings(KindSettings):
    """A modulator: One value after another."""

    KIND: ClassVar[str] = "steps"

    clock: Literal['Hz', 'beats']
    """Whether the pace is set by itself or by the tempo."""
    rate: float
    """Steps a second. 0.001 to 60 Hz."""
    beats: float
    """Beats a step. 0.0625 to 256 beats."""
    key_rate: float
    """How far the pace follows the key: at 100 % an octave up is twice as fast. -100 to 100 %."""
    glide: float
    """Share of a step spent on the way to the next. 0 to 100 %."""
    restart: Literal['with each note', 'with each phrase', 'never']
    """A phrase begins when a key goes down while none is."""
    once: Literal['round and round', 'once']
    """Once stays where it ends."""


class RandomModulatorSettings(KindSettings):
    """A modulator: A number that stays with the note."""

    KIND: ClassVar[str] = "random"

    reach: Literal['0 to 1', '-1 to 1']
    """One side or both."""
    spread: Literal['even', 'bell']
    """Whether all values are as likely, or those in the middle more so."""


class DriftModulatorSettings(KindSettings):
    """A modulator: Wanders at random, always drawn back to the middle."""

    KIND: ClassVar[str] = "drift"

    pull: float
    """Time constant of the pull towards the middle. 20 to 600000 ms."""
    reach: float
    """Usual distance from the middle. 0 to 100 %."""
    ease: float
    """Smooths the walk. 0 to 60000 ms."""
    restart: Literal['with each note', 'with each phrase', 'never']
    """A phrase begins when a key goes down while none is."""


class FollowerModulatorSettings(KindSettings):
    """A modulator: Listens to a layer, or to the whole."""

    KIND: ClassVar[str] = "follower"

    measure: Literal['level', 'brightness', 'pitch']
    """Level counts in dB, brightness in octaves from 50 Hz to 12.8 kHz, pitch from C1 to C8. Where no pitch is clear, the one before stays."""
    floor: float
    """Level that reads as nothing. -80 to -6 dB."""
    rise: float
    """Time constant of the way up. 0 to 10000 ms."""
    fall: float
    """Time constant of the way down. 0 to 10000 ms."""


class ContourModulatorSettings(KindSettings):
    """A modulator: Takes its course from a recording."""

    KIND: ClassVar[str] = "contour"

    measure: Literal['level', 'brightness', 'pitch']
    """Level counts in dB, brightness in octaves from 50 Hz to 12.8 kHz, pitch from C1 to C8. Where no pitch is clear, the one before stays."""
    floor: float
    """Level that reads as nothing. -80 to -6 dB."""
    rise: float
    """Time constant of the way up. 0 to 10000 ms."""
    fall: float
    """Time constant of the way down. 0 to 10000 ms."""
    pace: float
    """How much faster than the recording it runs. -6 to 4 oct."""
    restart: Literal['with each note', 'with each phrase', 'never']
    """A phrase begins when a key goes down while none is."""
    once: Literal['round and round', 'once']
    """Once stays where it ends."""


class CombineModulatorSettings(KindSettings):
    """A modulator: Two movements made into one."""

    KIND: ClassVar[str] = "combine"

    how: Literal['sum', 'product', 'least', 'greatest']
    """What is made of the two."""
    a: float
    """What it stands at before routes move it. -1 to 1."""
    b: float
    """What it stands at before routes move it. -1 to 1."""


class LagModulatorSettings(KindSettings):
    """A modulator: A movement, slowed."""

    KIND: ClassVar[str] = "lag"

    a: float
    """What it stands at before routes move it. -1 to 1."""
    rise: float
    """Time constant of the way up. 0 to 60000 ms."""
    fall: float
    """Time constant of the way down. 0 to 60000 ms."""


class QuantiseModulatorSettings(KindSettings):
    """A modulator: A movement in even steps."""

    KIND: ClassVar[str] = "quantise"

    a: float
    """What it stands at before routes move it. -1 to 1."""
    levels: int
    """How many levels from -1 to 1. 2 to 64."""


class SampleModulatorSettings(KindSettings):
    """A modulator: Takes a value whenever another rises past the middle."""

    KIND: ClassVar[str] = "sample"

    a: float
    """What it stands at before routes move it. -1 to 1."""
    trigger: float
    """What it stands at before routes move it. -1 to 1."""


class MacroModulatorSettings(KindSettings):
    """A modulator: One handle for many settings."""

    KIND: ClassVar[str] = "macro"

    value: float
    """Where the handle stands. 0 to 100 %."""
    other: float
    """Where it stands at a morph of 100 %. 0 to 100 %."""


class EqualiserEffectSettings(KindSettings):
    """An effect: Eight bands, each a bell, a shelf, a cut or a notch."""

    KIND: ClassVar[str] = "equaliser"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    shape_1: Literal['off', 'low cut', 'low shelf', 'bell', 'notch', 'high shelf', 'high cut']
    """What the band does."""
    hz_1: float
    """Centre of a bell or notch; corner of a cut; where a shelf has half its gain. 20 to 20000 Hz."""
    gain_1: float
    """At its centre or beyond. -24 to 24 dB."""
    q_1: float
    """Q: centre over bandwidth. 0.3 to 12."""
    shape_2: Literal['off', 'low cut', 'low shelf', 'bell', 'notch', 'high shelf', 'high cut']
    """What the band does."""
    hz_2: float
    """Centre of a bell or notch; corner of a cut; where a shelf has half its gain. 20 to 20000 Hz."""
    gain_2: float
    """At its centre or beyond. -24 to 24 dB."""
    q_2: float
    """Q: centre over bandwidth. 0.3 to 12."""
    shape_3: Literal['off', 'low cut', 'low shelf', 'bell', 'notch', 'high shelf', 'high cut']
    """What the band does."""
    hz_3: float
    """Centre of a bell or notch; corner of a cut; where a shelf has half its gain. 20 to 20000 Hz."""
    gain_3: float
    """At its centre or beyond. -24 to 24 dB."""
    q_3: float
    """Q: centre over bandwidth. 0.3 to 12."""
    shape_4: Literal['off', 'low cut', 'low shelf', 'bell', 'notch', 'high shelf', 'high cut']
    """What the band does."""
    hz_4: float
    """Centre of a bell or notch; corner of a cut; where a shelf has half its gain. 20 to 20000 Hz."""
    gain_4: float
    """At its centre or beyond. -24 to 24 dB."""
    q_4: float
    """Q: centre over bandwidth. 0.3 to 12."""
    shape_5: Literal['off', 'low cut', 'low shelf', 'bell', 'notch', 'high shelf', 'high cut']
    """What the band does."""
    hz_5: float
    """Centre of a bell or notch; corner of a cut; where a shelf has half its gain. 20 to 20000 Hz."""
    gain_5: float
    """At its centre or beyond. -24 to 24 dB."""
    q_5: float
    """Q: centre over bandwidth. 0.3 to 12."""
    shape_6: Literal['off', 'low cut', 'low shelf', 'bell', 'notch', 'high shelf', 'high cut']
    """What the band does."""
    hz_6: float
    """Centre of a bell or notch; corner of a cut; where a shelf has half its gain. 20 to 20000 Hz."""
    gain_6: float
    """At its centre or beyond. -24 to 24 dB."""
    q_6: float
    """Q: centre over bandwidth. 0.3 to 12."""
    shape_7: Literal['off', 'low cut', 'low shelf', 'bell', 'notch', 'high shelf', 'high cut']
    """What the band does."""
    hz_7: float
    """Centre of a bell or notch; corner of a cut; where a shelf has half its gain. 20 to 20000 Hz."""
    gain_7: float
    """At its centre or beyond. -24 to 24 dB."""
    q_7: float
    """Q: centre over bandwidth. 0.3 to 12."""
    shape_8: Literal['off', 'low cut', 'low shelf', 'bell', 'notch', 'high shelf', 'high cut']
    """What the band does."""
    hz_8: float
    """Centre of a bell or notch; corner of a cut; where a shelf has half its gain. 20 to 20000 Hz."""
    gain_8: float
    """At its centre or beyond. -24 to 24 dB."""
    q_8: float
    """Q: centre over bandwidth. 0.3 to 12."""


class FilterEffectSettings(KindSettings):
    """An effect: Low, band, high or notch, and resonance."""

    KIND: ClassVar[str] = "filter"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    slope: Literal['12 dB', '24 dB']
    """Steepness in dB an octave."""
    cutoff: float
    """Corner of the filter. 20 to 20000 Hz."""
    blend: float
    """From low-pass through band-pass and high-pass to notch, without a step. 0 to 3."""
    resonance: float
    """How much the corner rings. 0 to 100 %."""
    mix: float
    """How much of the stream is filtered. 0 to 100 %."""


class ColourEffectSettings(KindSettings):
    """An effect: Takes on the outline of another sound, which is not heard itself."""

    KIND: ClassVar[str] = "colour"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    amount: float
    """How much of the other sound's outline is taken on. 0 to 100 %."""
    detail: float
    """From broad outlines, as of a vowel, to every partial. 0 to 100 %."""
    outline_of: Literal['the whole', 'its course', 'a place']
    """The other sound all together, as it goes on beside the newest note, or at one place."""
    place: float
    """Where in the other sound. 0 to 100 %."""


class CompressorEffectSettings(KindSettings):
    """An effect: Takes away what is loud, of its own stream or where another one is."""

    KIND: ClassVar[str] = "compressor"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    threshold: float
    """Level above which it takes away. -60 to 0 dB."""
    ratio: float
    """How many dB more go in for one dB more that comes out; 100 holds the level. 1 to 100 : 1."""
    knee: float
    """Width of the bend at the threshold. 0 to 24 dB."""
    attack: float
    """Time constant of taking away. 0.1 to 200 ms."""
    release: float
    """Time constant of giving back. 5 to 4000 ms."""
    look_ahead: float
    """Its stream comes so much later, so that it takes away before something loud is there. 0 to 10 ms."""
    timing: Literal['as set', 'by itself']
    """By itself, both times follow how spiky the sound is, up to those that are set."""
    detector: Literal['peak', 'RMS']
    """RMS is the level of the last 10 ms, nearer to loudness."""
    listens: Literal['itself', 'a layer', 'the keys']
    """What has to be loud: its own stream, a layer that is chosen, or any key that is down."""
    make_up: Literal['by itself', 'by hand']
    """By itself, half of what would be taken from a full level is given back."""
    gain: float
    """Level after it. -24 to 24 dB."""
    mix: float
    """How much of the stream is compressed. 0 to 100 %."""


class GateEffectSettings(KindSettings):
    """An effect: Takes away what is quiet, at once or little by little."""

    KIND: ClassVar[str] = "gate"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    threshold: float
    """Level below which it takes away. -90 to 0 dB."""
    ratio: float
    """How many dB less come out for one dB less that goes in; 100 shuts it at once. 1 to 100 : 1."""
    range: float
    """Most that it takes away; 90 is all. 0 to 90 dB."""
    hysteresis: float
    """How far below the threshold the level has to fall until it shuts. 0 to 24 dB."""
    attack: float
    """Time constant of opening. 0.1 to 200 ms."""
    hold: float
    """How long it stays open after that. 0 to 2000 ms."""
    release: float
    """Time constant of shutting. 5 to 4000 ms."""
    listens: Literal['itself', 'a layer', 'the keys']
    """What has to be loud: its own stream, a layer that is chosen, or any key that is down."""


class BandsEffectSettings(KindSettings):
    """An effect: Takes away and lifts in three bands, so that unlike recordings come to one balance."""

    KIND: ClassVar[str] = "bands"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    split_low: float
    """Where low and middle part. 40 to 1000 Hz."""
    split_high: float
    """Where middle and high part. 1000 to 12000 Hz."""
    attack: float
    """Time constant of taking away. 0.5 to 200 ms."""
    release: float
    """Time constant of giving back. 10 to 4000 ms."""
    mix: float
    """How much of each band is worked on. 0 to 100 %."""
    gain: float
    """Level after it. -24 to 24 dB."""
    low_threshold: float
    """Level of the band above which it takes away. -60 to 0 dB."""
    low_ratio: float
    """How many dB more go in for one dB more that comes out. 1 to 100 : 1."""
    low_floor: float
    """Level of the band below which it lifts. -80 to 0 dB."""
    low_lift: float
    """Most that it lifts. 0 to 36 dB."""
    low_gain: float
    """Level of the band after it. -24 to 24 dB."""
    middle_threshold: float
    """Level of the band above which it takes away. -60 to 0 dB."""
    middle_ratio: float
    """How many dB more go in for one dB more that comes out. 1 to 100 : 1."""
    middle_floor: float
    """Level of the band below which it lifts. -80 to 0 dB."""
    middle_lift: float
    """Most that it lifts. 0 to 36 dB."""
    middle_gain: float
    """Level of the band after it. -24 to 24 dB."""
    high_threshold: float
    """Level of the band above which it takes away. -60 to 0 dB."""
    high_ratio: float
    """How many dB more go in for one dB more that comes out. 1 to 100 : 1."""
    high_floor: float
    """Level of the band below which it lifts. -80 to 0 dB."""
    high_lift: float
    """Most that it lifts. 0 to 36 dB."""
    high_gain: float
    """Level of the band after it. -24 to 24 dB."""


class DriveEffectSettings(KindSettings):
    """An effect: Saturates, folds, or magnetises as tape does."""

    KIND: ClassVar[str] = "drive"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    drive: float
    """Gain into the curve; a signal that peaks at -12 dB keeps its peak. 0 to 48 dB."""
    shape: Literal['saturate', 'fold', 'tape']
    """Saturate levels off; fold turns back; tape depends on where it came from."""
    hardness: float
    """From soft (0) to hard corners (100). 0 to 100 %."""
    width: float
    """Width of the tape's loop. 0 to 100 %."""
    lean: float
    """Leans to one side, which adds even harmonics. -100 to 100 %."""
    tone: float
    """Low-pass after it. 200 to 20000 Hz."""
    mix: float
    """How much of the stream is driven. 0 to 100 %."""
    gain: float
    """Level after it. -24 to 24 dB."""


class HarmonicsEffectSettings(KindSettings):
    """An effect: A low end that small speakers carry: harmonics of what lies under a corner."""

    KIND: ClassVar[str] = "harmonics"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    corner: float
    """What lies under it is doubled above. 30 to 300 Hz."""
    amount: float
    """Level of what is made. -40 to 18 dB."""
    odd: float
    """From even harmonics, warm, to odd ones, hollow. 0 to 100 %."""
    reach: float
    """How far above the corner harmonics are kept. 2 to 10 x."""
    lows: float
    """Level of the lows themselves; -60 is silence. -60 to 6 dB."""


class BitcrushEffectSettings(KindSettings):
    """An effect: Fewer samples, and fewer steps of level."""

    KIND: ClassVar[str] = "bitcrush"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    rate: float
    """Holds samples at a lower rate; 48 kHz leaves the sound alone. 200 to 48000 Hz."""
    bits: float
    """Steps of level; 24 leaves the sound alone. 1 to 24."""
    mix: float
    """How much of the stream is worked on. 0 to 100 %."""


class ChorusEffectSettings(KindSettings):
    """An effect: Late by a time that sways; with feedback, a flanger."""

    KIND: ClassVar[str] = "chorus"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    voices: int
    """How many late ones. 1 to 4."""
    delay: float
    """How late they are on average. 0.5 to 40 ms."""
    depth: float
    """How far the delay sways. 0 to 100 %."""
    rate: float
    """How fast it sways. 0.01 to 10 Hz."""
    feedback: float
    """How much of what comes out goes in again; with short delays, a flanger. -95 to 95 %."""
    spread: float
    """From one place to all across. 0 to 100 %."""
    mix: float
    """How much of it is late. 0 to 100 %."""


class PhaserEffectSettings(KindSettings):
    """An effect: Notches that sway."""

    KIND: ClassVar[str] = "phaser"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    stages: int
    """Two make a notch. 2 to 12."""
    centre: float
    """About which the notches sway. 40 to 10000 Hz."""
    depth: float
    """How far they sway. 0 to 4 oct."""
    rate: float
    """How fast they sway. 0.01 to 10 Hz."""
    apart: float
    """How far the right side is behind the left. 0 to 100 %."""
    feedback: float
    """Sharpens the peaks. -95 to 95 %."""
    mix: float
    """How much of the stream is turned. 0 to 100 %."""


class ShiftEffectSettings(KindSettings):
    """An effect: Moves all frequencies by as many Hz, or rings."""

    KIND: ClassVar[str] = "shift"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    does: Literal['shift', 'ring']
    """Shift moves all frequencies by as many Hz; ring makes both sums and differences."""
    shift: float
    """By how much; in ring modulation, the frequency of the sine. -5000 to 5000 Hz."""
    fine: float
    """Added to it. -10 to 10 Hz."""
    apart: float
    """Lets the right side go the other way: at 100, as far. 0 to 100 %."""
    feedback: float
    """How much of what comes out goes in again, and is shifted again. 0 to 90 %."""
    mix: float
    """How much of the stream is shifted. 0 to 100 %."""


class EchoEffectSettings(KindSettings):
    """An effect: Comes back, wanders, holds for ever."""

    KIND: ClassVar[str] = "echo"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    clock: Literal['ms', 'beats']
    """Whether the time is set by itself or by tempo."""
    time: float
    """From one echo to the next. 1 to 4000 ms."""
    beats: float
    """From one echo to the next. 0.0625 to 4 beats."""
    time_moves: Literal['glides', 'crossfades']
    """Glides as a tape does, with its pitch; or fades over from one time to the other."""
    feedback: float
    """How much comes back; above 100 it grows until the drive holds it. 0 to 120 %."""
    sides: Literal['both', 'ping-pong']
    """Ping-pong sends each echo to the other side."""
    low_cut: float
    """Each round takes away what lies below. 20 to 2000 Hz."""
    high_cut: float
    """Each round takes away what lies above. 200 to 20000 Hz."""
    drive: float
    """Saturates each round. 0 to 24 dB."""
    wander: float
    """How far the time strays, at random and slowly. 0 to 100 %."""
    freeze: float
    """At 100 what is there goes round for ever, and nothing goes in. 0 to 100 %."""
    mix: float
    """How much of it is echo. 0 to 100 %."""


class RoomEffectSettings(KindSettings):
    """An effect: From a body of 20 ms to one without end."""

    KIND: ClassVar[str] = "room"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    size: float
    """How far sound goes from wall to wall, on average; moved, its pitch glides. 1 to 60 m."""
    decay: float
    """Until it has died away by 60 dB, at 1 kHz. 20 to 60000 ms."""
    low: float
    """Decay at 125 Hz, against that at 1 kHz. 10 to 300 %."""
    high: float
    """Decay at 4 kHz, against that at 1 kHz. 5 to 150 %."""
    freeze: float
    """At 100 what is there stays for ever, and nothing goes in. 0 to 100 %."""
    pre_delay: float
    """Until the first sound comes back. 0 to 250 ms."""
    early: float
    """Level of the first reflections; -40 is none. -40 to 6 dB."""
    diffusion: float
    """From single echoes to a cloud of them. 0 to 100 %."""
    movement: float
    """How far the walls sway, so that nothing rings. 0 to 100 %."""
    width: float
    """From one channel to all around. 0 to 150 %."""
    mix: float
    """How much of it is the room. 0 to 100 %."""


class EmbedEffectSettings(KindSettings):
    """An effect: Heard through another sound, which is not heard itself."""

    KIND: ClassVar[str] = "embed"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    wet: float
    """Level of what is embedded; -60 is none. -60 to 12 dB."""
    dry: float
    """Level of the stream itself; -60 is none. -60 to 6 dB."""
    pre_delay: float
    """Until it begins. 0 to 500 ms."""
    speed: float
    """How fast it is read; its pitch goes along. 0.25 to 4 x."""
    length: float
    """How many times as long, at its own pitch. 0.25 to 8 x."""
    fade_in: float
    """From its beginning. 0 to 5000 ms."""
    fade_out: float
    """To its end. 0 to 10000 ms."""
    tilt: float
    """By how much each octave is louder than the one below. -6 to 6 dB."""
    direction: Literal['forward', 'backward']
    """How it is read."""


class ResonatorEffectSettings(KindSettings):
    """An effect: Rings where it is tuned to: a scale, the keys that are down, or another sound's partials."""

    KIND: ClassVar[str] = "resonator"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    tuned: Literal['harmonics', 'a scale', 'the keys', 'a sound']
    """Harmonics of the root, a scale on it, the keys that are down and their octaves, or the strongest partials of a sound."""
    root: float
    """Lowest resonance. 12 to 96 key."""
    steps: Literal['octaves', 'major chord', 'minor chord', 'chromatic', 'major', 'natural minor', 'harmonic minor', 'dorian', 'major pentatonic', 'minor pentatonic', 'whole tone', 'fifths']
    """Steps that resonate."""
    modes: int
    """How many there are. 1 to 24."""
    shift: float
    """Transposes all of them. -24 to 24 st."""
    stretch: float
    """Widens or narrows what lies above the lowest, as of a stiff bar or a bell. -20 to 20 %."""
    decay: float
    """Until the lowest has died away by 60 dB. 20 to 30000 ms."""
    damping: float
    """How much sooner high ones die away. 0 to 100 %."""
    brightness: float
    """By how much each octave above the lowest is louder. -12 to 6 dB."""
    spread: float
    """From the middle to all across. 0 to 100 %."""
    gain: float
    """Level of what resonates. -24 to 24 dB."""
    mix: float
    """How much of it resonates. 0 to 100 %."""


class StereoEffectSettings(KindSettings):
    """An effect: Width, rotation, and one channel below a corner."""

    KIND: ClassVar[str] = "stereo"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    width: float
    """0 is one channel, 200 the sides alone. 0 to 200 %."""
    rotate: float
    """Turns the whole image; 90 puts the middle on both sides, turned over. -90 to 90 °."""
    balance: float
    """Fades the other side out. -100 to 100 %."""
    mono_below: float
    """Under it there is one channel; 10 is nowhere. 10 to 500 Hz."""
    gain: float
    """Level after it. -24 to 24 dB."""


class HoldEffectSettings(KindSettings):
    """An effect: What is there stays, as a spectrum, and is blurred."""

    KIND: ClassVar[str] = "hold"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    hold: float
    """At 100 nothing new comes in; below, what is there makes room little by little. 0 to 100 %."""
    blur: float
    """Smears each frequency over its neighbours. 0 to 100 %."""
    stir: float
    """How far phases are drawn at random: from tones that stand to a cloud. 0 to 100 %."""
    tilt: float
    """By how much each octave is louder. -6 to 6 dB."""
    gain: float
    """Level of what is held. -24 to 24 dB."""
    mix: float
    """How much of it is what is held. 0 to 100 %."""


class ScatterEffectSettings(KindSettings):
    """An effect: Grains of the last eight seconds."""

    KIND: ClassVar[str] = "scatter"

    on: Literal['on', 'off']
    """Off lets the sound pass as it is."""
    beside: float
    """At 0 it takes what the effect before it gives; at 100 it takes what that one took, and both are added. 0 to 100 %."""
    density: float
    """How many grains begin. 0.5 to 200 /s."""
    size: float
    """How long each one is. 10 to 2000 ms."""
    regularity: float
    """From chance to a clock. 0 to 100 %."""
    back: float
    """Where grains read. 0 to 8000 ms."""
    back_scatter: float
    """How far places differ by chance. 0 to 8000 ms."""
    reverse: float
    """How many read backward. 0 to 100 %."""
    pitch: float
    """Transposition. -24 to 24 st."""
    pitch_scatter: float
    """How far pitches differ. 0 to 24 st."""
    freeze: float
    """From half on, nothing new is taken in. 0 to 100 %."""
    feedback: float
    """How much of the grains is taken in again. 0 to 95 %."""
    width: float
    """How far grains lie apart. 0 to 100 %."""
    mix: float
    """How much of it is grains. 0 to 100 %."""
