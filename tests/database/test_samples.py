import numpy as np

from tests.core.log.test_samples import minutes
from tests.support import NOW, DatabaseCase
from voltaun.database import check, imports, rigs, samples
from voltaun.database.connection import transaction
from voltaun.intake.bringing import bring_samples
from voltaun.intake.staged import Cancelled, Staged


class Bringing(DatabaseCase):
    def bring(self, *pieces):
        with transaction(self.db):
            return samples.bring(self.db, self.rig_id, pieces)

    def sums(self):
        return [tuple(row)[1:] for row in self.db.execute("SELECT * FROM sample_hour ORDER BY hour")]

    def made(self):
        rng = np.random.default_rng(2)
        return minutes(3000, watts=rng.normal(0, 300, 3000), soc=rng.uniform(0.2, 0.9, 3000).round(3))

    def test_in_one_piece_in_many_and_out_of_order_come_to_the_same(self):
        whole = self.made()
        self.bring(whole)
        expected, rows = self.sums(), self.db.execute("SELECT count(*) FROM sample").fetchone()[0]
        self.assertEqual(rows, 3000)
        for order in ([slice(0, 1), slice(1, 700), slice(700, 701), slice(701, 3000)],
                      [slice(2000, 3000), slice(0, 500), slice(500, 2000)],
                      [slice(None, None, -1)], [slice(0, 3000, 2), slice(1, 3000, 2)]):
            self.db.execute("DELETE FROM sample")
            self.db.execute("DELETE FROM sample_hour")
            self.bring(*(whole.part(part) for part in order))
            self.assertEqual(len(self.sums()), len(expected))
            for ours, theirs in zip(self.sums(), expected, strict=True):
                np.testing.assert_allclose(np.array(ours, dtype=float), np.array(theirs, dtype=float), atol=1e-6)
        self.assertEqual(check.faults(self.db), [])

    def test_again_and_in_between(self):
        whole = self.made()
        first = self.bring(whole.part(slice(0, 1000)))
        self.assertEqual((first.added, first.same), (1000, 0))
        again = self.bring(whole.part(slice(500, 1500)))
        self.assertEqual((again.added, again.same), (500, 500))
        self.assertEqual(check.faults(self.db), [])

    def test_cancelled_leaves_nothing(self):
        staged = Staged([self.made()])
        with self.assertRaises(Cancelled):
            bring_samples(self.path, self.rig_id, staged, "s.csv", NOW, go_on=lambda rows: False)
        self.assertIsNone(samples.span(self.db, self.rig_id))
        self.assertEqual((self.sums(), self.db.execute("SELECT count(*) FROM import").fetchone()[0]), ([], 0))
        self.assertEqual(bring_samples(self.path, self.rig_id, staged, "s.csv", NOW)[0].added, 3000)
        staged.close()

    def test_another_that_writes_meanwhile_spoils_no_sums(self):
        whole = self.made()
        bringing = samples.Bringing(self.db, self.rig_id)
        for part in (slice(0, 900), slice(900, 1700), slice(1700, 3000)):
            with transaction(self.db):
                bringing.take(whole.part(part))
            self.bring(minutes(5, start=int(whole.at[-1]) + 86_400 + part.stop * 60, watts=5.0))
        with transaction(self.db):
            for start, end in bringing.finish():
                samples.sum_up_again(self.db, self.rig_id, start, end)
        sums = [row for row in self.sums() if row[0] < whole.at[-1] + 3600]
        self.db.execute("DELETE FROM sample")
        self.db.execute("DELETE FROM sample_hour")
        self.bring(whole)
        np.testing.assert_allclose(np.array(sums, dtype=float), np.array(self.sums(), dtype=float), atol=1e-6)


class CutOff(DatabaseCase):
    def test_only_what_did_not_end_is_left_to_sweep(self):
        with transaction(self.db):
            self.assertFalse(imports.cut_off(self.db))
            rigs.remove(self.db, self.rig_id, NOW)
            imports.begin(self.db, self.rig_id, "log", "a.csv", NOW)
            self.assertFalse(imports.cut_off(self.db))
            imports.begin(self.db, self.rig_id, "samples", "s.csv", NOW, imports.UNDER_WAY)
            self.assertTrue(imports.cut_off(self.db))
        with transaction(self.db):
            self.db.execute("DELETE FROM import")
            self.db.execute("UPDATE rig SET removed_at = ?", (rigs.COMING_IN,))
        self.assertTrue(imports.cut_off(self.db))
