"""Lights judged by their own figures, against what their night and their project let expect: pure."""
