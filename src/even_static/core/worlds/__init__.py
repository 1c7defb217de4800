"""Many houses that all agree with what was measured: what stays unknown is drawn, and a setting is lived in each."""
