"""No text of a file, however it is made, is read in more than about its length of time."""

import io
import time
import unittest

from voltaun.core.instants import zone
from voltaun.formats import archive, guessing, log_csv, price_list, rig_file, samples_csv, weather_file

HOBART = zone("Australia/Hobart")
HEADS = ("", "LOCATION,", "724666,", "Latitude (decimal degrees):1\n", "94725 ", "read_at,soc_percent\n", "at,volts\n",
         "name,kind,size\n", '{"voltaun_rig": 1, "name": "')
PIECES = (" ", "\n", "(", ")", " (", "a (", '"', ",", ";", "A:\n", "0", "9.", "[", "{", "\r", "x", "0,\n", "a b")

READERS = {
    "weather": lambda text: weather_file.read_weather(text.encode()),
    "prices": lambda text: price_list.read_prices(text.encode()),
    "log": lambda text: log_csv.read_log(text.encode(), HOBART),
    "mapping": guessing.guess,
    "rig": rig_file.read_rig,
    "archive": lambda text: archive.parse(text.encode()),
    "samples": lambda text: list(samples_csv.pieces(io.BytesIO(text.encode()), HOBART, None, samples_csv.Told())),
}


def taken(read, text) -> float:
    """Processor seconds of reading a text, whatever comes of it."""
    begun = time.process_time()
    try:
        read(text)
    except Exception as error:  # noqa: BLE001 (all of them are refusals; none may be of these)
        assert not isinstance(error, RecursionError | MemoryError), error
    return time.process_time() - begun


class Linear(unittest.TestCase):
    def test_four_times_the_text_takes_no_sixteen_times_as_long(self):
        for name, read in READERS.items():
            for head in HEADS:
                taken(read, head + "x")  # what is imported when it is first wanted
                for piece in PIECES:
                    long = taken(read, head + piece * (64_000 // len(piece)))
                    if long > 0.05:  # a slow machine, or a slow expression: that one takes sixteen times as long
                        short, long = (min(taken(read, head + piece * (size // len(piece))) for _ in range(3))
                                       for size in (16_000, 64_000))
                        self.assertLess(long, 9 * short + 0.05, (name, head, piece))


if __name__ == "__main__":
    unittest.main()
