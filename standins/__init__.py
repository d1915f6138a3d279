"""Simulated devices: printer, laminator and cutter. They share no code with Etiquette; they speak TCP and folders."""
