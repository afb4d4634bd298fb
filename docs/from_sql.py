"""Makes docs/from_sql.md: conditions as they are often written, and what ``readings --sql`` says of each."""

from pathlib import Path

from ulnager.checking.recognising import recognise

PAGE = Path(__file__).with_name("from_sql.md")
CONDITIONS = (
    ("PostgreSQL", "d >= current_date - 6 AND d <= current_date"),
    ("PostgreSQL", "d >= current_date - 7 AND d < current_date"),
    ("PostgreSQL", "d >= date_trunc('month', current_date) AND d <= current_date"),
    (
        "PostgreSQL",
        "d >= date_trunc('month', current_date) - interval '3 months' AND d < date_trunc('month', current_date)",
    ),
    ("PostgreSQL", "d >= current_date - interval '1 month'"),
    ("PostgreSQL", "d > (SELECT max(d) FROM t) - 7"),
    ("PostgreSQL", "d BETWEEN date_trunc('month', current_date) AND (SELECT max(d) FROM t)"),
    ("MySQL", "d >= CURDATE() - INTERVAL 7 DAY"),
    ("MySQL", "YEARWEEK(d, 3) = YEARWEEK(CURDATE(), 3)"),
    ("MySQL", "MONTH(d) = MONTH(CURDATE()) AND YEAR(d) = YEAR(CURDATE())"),
    (
        "tsql",
        "d >= DATEADD(month, DATEDIFF(month, 0, GETDATE()) - 1, 0) AND d < DATEADD(month, DATEDIFF(month, 0, GETDATE()), 0)",
    ),
    ("tsql", "d > DATEADD(month, -1, GETDATE())"),
    ("Oracle", "d BETWEEN TRUNC(SYSDATE, 'Q') AND LAST_DAY(ADD_MONTHS(TRUNC(SYSDATE, 'Q'), 2))"),
    (
        "Snowflake",
        "d >= DATEADD(month, -3, DATE_TRUNC('month', CURRENT_DATE())) AND d < DATE_TRUNC('month', CURRENT_DATE())",
    ),
    ("BigQuery", "DATE_DIFF(CURRENT_DATE(), d, DAY) BETWEEN 0 AND 6"),
    ("BigQuery", "EXTRACT(YEAR FROM d) = EXTRACT(YEAR FROM CURRENT_DATE())"),
    ("SQLite", "d >= date('now', '-1 month')"),
    ("SQLite", "strftime('%Y-%m', d) = strftime('%Y-%m', 'now')"),
    (
        "Databricks",
        "d >= add_months(trunc(current_date(), 'MM'), -12) AND d < trunc(current_date(), 'MM')",
    ),
)
TIMES = (
    ("PostgreSQL", "t >= now() - interval '24 hours'"),
    ("PostgreSQL", "t BETWEEN now() - interval '30 minutes' AND now()"),
    ("PostgreSQL", "t >= date_trunc('month', now()) AND t < now()"),
    ("tsql", "t >= DATEADD(hour, -3, GETDATE())"),
)
HEAD = """# From SQL to phrases

What conditions as they are often written keep, as `ulnager readings --sql` tells it. Where no phrase has the same rows
the nearest is named, with the days of three years on which they part: often that is the mistake.
Made by `python docs/from_sql.py`.

| dialect | condition on a date | phrase |
| --- | --- | --- |
"""


def told(dialect: str, condition: str, column_type: str = "date") -> str:
    """What is said of a condition, in a cell."""
    found = recognise(condition, target=dialect.lower(), column_type=column_type)
    if found.phrase is not None:
        return f"`{found.phrase}`"
    if found.nearest is None:
        return found.why
    days = sum((last - first).days + 1 for first, last in found.part_on)
    apart = f"parts on {days} days, first {found.part_on[0][0]}" if days else found.why
    return f"nearly `{found.nearest}`: {apart}"


def page() -> str:
    """The whole page."""
    rows = [f"| {one} | `{text}` | {told(one, text)} |" for one, text in CONDITIONS]
    times = [f"| {one} | `{text}` | {told(one, text, 'timestamp')} |" for one, text in TIMES]
    head = "\n| dialect | condition on a time | phrase |\n| --- | --- | --- |\n"
    return HEAD + "\n".join(rows) + "\n" + head + "\n".join(times) + "\n"


if __name__ == "__main__":
    PAGE.write_text(page(), encoding="utf-8")
