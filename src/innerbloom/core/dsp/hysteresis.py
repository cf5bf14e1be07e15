"""Hysteresis, as of magnetic tape: what comes out depends on where it came from.

A sum of play operators (hysterons) of several widths, which is what a magnetic material does to
a field in the model named after Prandtl and Ishlinskii. It does not depend on time and is stable
at any step; between two samples the field is taken to go straight, and each operator's mean on the
way is what comes out, so that little folds back.

References
----------
.. [1] S. Bobbio, G. Miano, C. Serpico and C. Visone, "Models of magnetic hysteresis based on play
   and stop hysterons", IEEE Transactions on Magnetics 33(6), 1997.
.. [2] A. Visintin, *Differential Models of Hysteresis*, Springer 1994.
"""

from __future__ import annotations

from innerbloom.core.compiling import borrowing

HYSTERONS = 8
WIDEST = 0.6
"""Half the width of the widest operator, where a field of 1 saturates."""


@borrowing
def play(states, h0, h1, width):
    """What all operators make of a field on its way from ``h0`` to ``h1``, on average.

    Parameters
    ----------
    states : float64 array, shape (HYSTERONS,)
        Where each operator is.
    width : float
        0 for none, so that the field passes; 1 for the widest loop.
    """
    step, total = abs(h1 - h0), 0.0
    for number in range(HYSTERONS):
        radius = WIDEST * width * number / (HYSTERONS - 1)
        was = states[number]
        now = min(max(was, h1 - radius), h1 + radius)
        states[number] = now
        moved = now - was
        # it stands until the field has crossed the play, and then goes along with it
        share = min(abs(moved) / step, 1.0) if step > 1e-12 else 1.0
        total += now - moved * (1.0 - 0.5 * share)
    return total / HYSTERONS
