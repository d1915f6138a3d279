"""The length of a way through places, JSON on stdin, that OR-Tools' routing finds: a reference, not used by
Etiquette."""

import json
import sys

import numpy as np
from ortools.constraint_solver import pywrapcp, routing_enums_pb2


def routed_mm(places: np.ndarray, seconds: int) -> float:
    """From (0, 0) through all `places` (n, 2), ending anywhere, by guided local search for `seconds`."""
    count = len(places)
    whole = np.vstack([(0.0, 0.0), places, (0.0, 0.0)])
    units = np.round(1000 * np.hypot(*(whole[:, None] - whole[None]).transpose(2, 0, 1))).astype(int)
    units[:, count + 1] = 0  # the end is nowhere
    table = units.tolist()
    manager = pywrapcp.RoutingIndexManager(count + 2, 1, [0], [count + 1])
    model = pywrapcp.RoutingModel(manager)
    transit = model.RegisterTransitCallback(lambda a, b: table[manager.IndexToNode(a)][manager.IndexToNode(b)])
    model.SetArcCostEvaluatorOfAllVehicles(transit)
    wish = pywrapcp.DefaultRoutingSearchParameters()
    wish.first_solution_strategy = routing_enums_pb2.FirstSolutionStrategy.PATH_CHEAPEST_ARC
    wish.local_search_metaheuristic = routing_enums_pb2.LocalSearchMetaheuristic.GUIDED_LOCAL_SEARCH
    wish.time_limit.seconds = seconds
    found = model.SolveWithParameters(wish)
    return float(found.ObjectiveValue()) / 1000


if __name__ == "__main__":
    print(routed_mm(np.array(json.load(sys.stdin)), 10))
