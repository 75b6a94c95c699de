-- Which chunks are clipped is asked for whenever a run is opened; there are few of them among millions.
CREATE INDEX chunk_over_range ON chunk (run_id, channel, first_sample) WHERE over_range;
