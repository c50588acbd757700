"""Headless commands of Weigh in."""
