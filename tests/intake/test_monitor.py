"""A monitor that is well, silent, slow, lying or garbled: a mark in the log, never a crash or a wrong reading."""

import threading
import time
from datetime import timedelta

from tests.support import NOW, DatabaseCase
from voltaun import clock
from voltaun.core.log.reading import Reading
from voltaun.database import backup, monitors, rigs, samples
from voltaun.database import readings as kept
from voltaun.database.connection import transaction
from voltaun.intake import bringing, client, monitor
from voltaun.intake.watch import Watch
from voltaun.standins import monitor as standin


class Monitored(DatabaseCase):
    def told(self, manner="well", now=NOW, patience=None):
        """Read a stand-in of that manner once."""
        server = standin.server(0, manner, slow_seconds=1.5, clock=now.timestamp)
        server.daemon_threads = True
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        with transaction(self.db):
            monitors.keep(self.db, self.rig_id, f"http://127.0.0.1:{server.server_address[1]}", 5)
        usual = client.ask.__defaults__
        client.ask.__defaults__ = (patience or 5.0,)
        self.addCleanup(setattr, client.ask, "__defaults__", usual)
        return monitor.read_monitor(self.db, self.rig_id, now)

    def marks(self):
        return [mark.state for mark in monitors.marks(self.db, self.rig_id, NOW - timedelta(days=9),
                                                      NOW + timedelta(days=9))]

    def test_well_brings_samples_and_readings_and_goes_on_where_it_stopped(self):
        state, words = self.told()
        self.assertEqual(state, "well", words)
        first = samples.span(self.db, self.rig_id)
        made = [each.reading for each in kept.everything(self.db, self.rig_id)]
        self.assertTrue(made and all(each.at_bank and each.at <= NOW for each in made))
        self.told(now=NOW + timedelta(hours=30))
        self.assertEqual(samples.span(self.db, self.rig_id)[0], first[0])
        self.assertEqual(samples.span(self.db, self.rig_id)[1], int((NOW + timedelta(hours=30)).timestamp()) // 60 * 60)
        self.assertGreater(len(kept.everything(self.db, self.rig_id)), len(made))
        self.assertEqual(self.marks(), [])

    def test_it_is_due_again_after_its_minutes_and_not_before(self):
        with transaction(self.db):
            monitors.keep(self.db, self.rig_id, "http://127.0.0.1:9", 5)
            monitors.asked(self.db, self.rig_id, NOW, "well", "Nothing new.")
        for minutes, due in ((4, []), (5, [self.rig_id])):
            self.assertEqual(monitors.due(self.db, NOW + timedelta(minutes=minutes)), due, minutes)

    def test_troubles_leave_a_mark_and_nothing_else(self):
        for manner, state in (("lying", "lying"), ("garbled", "lying"), ("silent", "silent"), ("slow", "slow")):
            with self.subTest(manner):
                self.assertEqual(self.told(manner, patience=0.4 if state != "lying" else 5.0)[0], state)
                self.assertIsNone(samples.span(self.db, self.rig_id))
                self.assertEqual(kept.everything(self.db, self.rig_id), [])
        with transaction(self.db):
            monitors.keep(self.db, self.rig_id, "http://127.0.0.1:9", 5)
        self.assertEqual(monitor.read_monitor(self.db, self.rig_id, NOW)[0], "silent")
        self.assertEqual(self.told()[0], "well")
        self.assertEqual(self.marks(), ["lying", "silent", "slow", "silent", "well"])

    def test_only_this_machine_is_asked(self):
        for address in ("http://192.0.2.1:80", "https://127.0.0.1:8151", "file:///etc/passwd", "http://127.0.0.1",
                        "http://127.0.0.1:99999", "http://[::1", ""):
            self.assertIsNotNone(client.address_fault(address), address)
            with self.assertRaises(ValueError):
                client.ask(address, "/")
        for address, asked in (("http://192.168.7.9:8151", True), ("http://10.1.2.3:80", True),
                               ("http://172.16.0.1:1", True),
                               ("http://172.32.0.1:1", False), ("http://8.8.8.8:80", False),
                               ("http://cabin.lan:80", False),
                               ("http://169.254.169.254:80", False), ("http://0x7f.1:80", False),
                               ("https://192.168.7.9:8151", False), ("http://192.168.7.9@8.8.8.8:80", False)):
            self.assertEqual(client.address_fault(address, also_in_the_house=True) is None, asked, address)
            self.assertIsNotNone(client.address_fault(address), address)

    def test_a_reading_that_stands_is_not_written_over(self):
        self.told()
        own = kept.everything(self.db, self.rig_id)[0]
        with transaction(self.db):
            kept.edit(self.db, self.rig_id, own.id, own.version, Reading(own.reading.at, soc=0.11), NOW)
        self.assertEqual(bringing.condense(self.db, self.rig_id, NOW, since=NOW - timedelta(days=30)), 0)
        self.assertEqual(kept.everything(self.db, self.rig_id)[0].reading.soc, 0.11)

    def test_the_watch_reads_what_is_due_and_copies_the_file(self):
        # The watch asks by the clock, whatever day that is: so the stand-in stands at the same one.
        self.told(now=clock.now())
        with transaction(self.db):
            self.db.execute("UPDATE monitor SET asked_at = '2020-01-01T00:00:00Z', state = 'new'")
            self.db.execute("DELETE FROM sample")
        watch = Watch(self.path, every_seconds=0.05)
        watch.start()
        until = time.monotonic() + 20
        while time.monotonic() < until and not (samples.span(self.db, self.rig_id) and backup.copies(self.path)):
            time.sleep(0.05)
        watch.stop()
        watch.join(10)
        self.assertTrue(samples.span(self.db, self.rig_id))
        self.assertEqual(len(backup.copies(self.path)), 1)

    def test_each_day_of_the_stand_in_ends_as_it_began(self):
        day = [standin.sample(at) for at in range(0, 86_400, 60)]
        self.assertAlmostEqual(day[0][3], standin.sample(86_400)[3], delta=0.2)
        self.assertTrue(all(0 < each[3] < 100 for each in day))
        into = standin.sample(86_400)[4] - standin.sample(0)[4]
        self.assertAlmostEqual(into, sum(max(0, each[2]) for each in day) / 60, delta=20)


class Due(DatabaseCase):
    def test_the_monitor_of_a_removed_rig_is_asked_no_more(self):
        with transaction(self.db):
            monitors.keep(self.db, self.rig_id, "http://127.0.0.1:9", 5)
        self.assertEqual(monitors.due(self.db, NOW), [self.rig_id])
        with transaction(self.db):
            rigs.remove(self.db, self.rig_id, NOW)
        self.assertEqual(monitors.due(self.db, NOW), [])
