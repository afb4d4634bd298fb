"""Languages: how dates, units and messages for viewers are written, with Babel and the CLDR.

``words`` writes dates and finds messages; ``catalogues`` holds the messages of each language, one
gettext file each, with English sentences as keys. A language without a catalogue has its dates,
and English messages. It may import the core, and is not imported before a locale is asked for.
"""
