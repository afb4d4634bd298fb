"""What phrases mean: definitions, the phrase table, spans, shifts, resolutions, reasons, buckets.

May import ``core.calendars``. A definition (``definitions``) is worked out by a row of the phrase
table (``phrases``) into spans; ``core.language`` reads text into definitions.
"""
