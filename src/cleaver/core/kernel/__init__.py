"""Kernel: what every part of the run time stands on. It knows no topic. Start at `stage`."""
