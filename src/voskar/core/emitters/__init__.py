"""Emitters: when they fire and what stops them, where and which way what they spawn sets off."""
