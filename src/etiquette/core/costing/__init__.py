"""What a run takes: stock, film, ink, time, money."""
