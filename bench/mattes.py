"""placeholder"""


def run(given): ...
