"""How answers look: tables that fit the window, trees, and data for other programs. The only place that knows."""
