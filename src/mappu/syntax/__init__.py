"""The neutral tree and the front ends that lower a language to it, found by their file in this folder."""
