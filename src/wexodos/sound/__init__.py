"""Sound as it is: found, decoded, resampled, dithered and written; and cut into the pieces a turnover takes
along."""
