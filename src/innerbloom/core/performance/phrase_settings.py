"""What a phrase is set to: how chords that are held become patterns."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypeAlias

from innerbloom.core.declare.parameters import Choice, Declared, Settings, settings_model
from innerbloom.core.declare.parameters import Parameter as P

# fmt: off
PHRASE: tuple[Declared, ...] = (
    Choice("pattern", "pattern", ("off", "up", "down", "up and down", "as played", "random",
                                  "trill"), "off",
           "In which order the held keys are struck, over and over; random strikes none twice "
           "running, a trill goes from the first key to each other and back."),
    Choice("counted", "counted", ("in beats", "in Hz"), "in beats",
           "Whether steps last a share of a beat or so many come in a second."),
    P("step", "step", "Phrase", "beats", 1 / 32, 16, 0.25, "How long a step lasts: 0.25 is a "
      "sixteenth.", "log", "whole", movable=False, when=("counted", ("in beats",))),
    P("rate", "rate", "Phrase", "Hz", 0.1, 50, 12, "How many steps come in a second.", "log",
      "whole", movable=False, when=("counted", ("in Hz",))),
    P("gate", "gate", "Phrase", "%", 1, 200, 80, "How much of its step a note is held; over 100 "
      "it overlaps the next.", "linear", "whole", movable=False),
    P("octaves", "octaves", "Phrase", "", 1, 4, 1, "Over how many octaves the pattern climbs.",
      scope="whole", whole_number=True, movable=False),
    P("chance", "chance", "Phrase", "%", 0, 100, 100, "How likely a step is to sound at all.",
      "linear", "whole", movable=False),
    P("swing", "swing", "Phrase", "%", 50, 75, 50, "Where in a pair of steps the second one falls: "
      "50 is even, 66.7 a triplet.", "linear", "whole", movable=False),
    Choice("begins", "begins", ("at once", "on the beat"), "at once",
           "Whether the first key starts the pattern, or the next beat does."),
)
# fmt: on

PhraseSettings: type[Settings] = settings_model("PhraseSettings", PHRASE)
if TYPE_CHECKING:
    PhraseModel: TypeAlias = Settings
else:
    PhraseModel = PhraseSettings
