"""Pictures from devices and services outside, and from addresses."""
