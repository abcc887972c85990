"""How much of a metal the air has taken after some years (ISO 9224:2012)."""

from __future__ import annotations

#: Years up to which the power law holds; after them the rate of that year goes on (ISO 9224, clause on exposures beyond
#: 20 years; from memory).
LAW_HOLDS = 20.0


def corroded(first_year: float, exponent: float, years: float) -> float:
    """Loss after ``years`` in the unit of ``first_year``, that of the first year.

    ``D = r t^b`` up to 20 years, then ``D = r (20^b + b 20^(b-1) (t - 20))`` (ISO 9224:2012, equations 1 and 3, from
    memory).
    """
    if years <= 0:
        return 0.0
    if years <= LAW_HOLDS:
        return float(first_year * years**exponent)
    rate = exponent * LAW_HOLDS ** (exponent - 1.0)
    return float(first_year * (LAW_HOLDS**exponent + rate * (years - LAW_HOLDS)))
