"""The usual cautions on events with a real car. They stand beside the task and defer to those who decide."""

CAUTIONS: tuple[str, ...] = (
    "The series rulebook and its scrutineers decide what is legal; the circuit's officials decide what is safe on the day.",
    "Never below the tyre maker's minimum pressure or beyond its camber limit. Hot, pressurised tyres can injure.",
    "Try brake-bias changes at low speed first. Brakes, suspension, lifting and fuel are work for a qualified technician.",
    "Corner weighting and underbody work on rated stands, never on a jack. Wheels are re-torqued after every change.",
    "Ballast is fixed as the rulebook says, and inspected. Fuel is handled only under the circuit's rules.",
    "A modelled braking point or speed is an estimate, not an instruction: build up to it. Never test on public roads.",
)
