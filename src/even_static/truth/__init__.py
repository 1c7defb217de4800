"""What a practice house really does: an independent simulator that knows nothing of the model which plans.

It takes kit, settings, law and geometry from the core, and draws for each house what nobody can measure: true walls,
chips, tastes, evenings, hidden senders. ``core.model``, ``core.search`` and ``core.explain`` are out of its reach.
"""
