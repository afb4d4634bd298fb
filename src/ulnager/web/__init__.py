"""The service: a book over HTTP, for any front end, and a page to try it in a browser.

Thin: a request becomes a state, kept nowhere; a picker's ``read`` makes it a view, a page's
``values`` its numbers. No rule about dates lives here. ``answers`` asks the book, ``api`` and
``pages`` say it over HTTP, ``limits`` stands before both; ``ruler`` and ``charts`` work out where
things are drawn, the templates draw them. Nothing but the command line may import it; it needs the
extra ``web``.
"""
