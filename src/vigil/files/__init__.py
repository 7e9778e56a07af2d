"""Reading and writing: frames, catalogues, documents' bytes; always written aside, flushed, renamed."""
