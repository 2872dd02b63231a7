"""What the application does with lots, photos, sheets, specs and deliveries. No HTTP, no SQL text."""
