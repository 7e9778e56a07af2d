"""A report as plain text."""

from vigil.reports.night import NightReport


def as_text(report: NightReport) -> str:
    """To be read in a terminal, or mailed."""
    until = f" to {report.clock(report.ends)}" if report.ends else ""
    out = [
        f"Night of {report.evening}, {report.rig}",
        f"{report.site}, {report.clock(report.begins)}{until} ({report.zone})",
        "",
    ]
    width = max(len(name) for name, _ in report.facts)
    out += [f"{name:<{width}}  {value}" for name, value in report.facts]
    out += ["", "Done"]
    for line in report.lines:
        why = f": {line.why}" if line.why else ""
        out.append(
            f"  {line.target} {line.words}: {line.taken} of {line.wanted}, {line.kept} kept, "
            f"{line.kept_h:.2f} h{why}"
        )
    if report.lost:
        out += ["", "Time lost"]
        out += [f"  {seconds / 60:4.0f} min  {name}" for name, seconds in report.lost]
    if report.doubtful:
        out += ["", "Not kept"]
        out += [f"  {frame}: {why}" for frame, why in report.doubtful]
    if report.notes:
        out += ["", "Out of the ordinary"]
        out += [
            f"  {report.clock(at)}  {what}" + (f": {why}" if why and why != what else "")
            for at, what, why in report.notes
        ]
    return "\n".join(out) + "\n"
