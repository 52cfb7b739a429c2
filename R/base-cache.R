# What is kept for the session.

language_cache <- new.env(parent = emptyenv())
