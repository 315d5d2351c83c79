"""The apiary: a small invented project with broken scripts, for the tour and for the tests."""
