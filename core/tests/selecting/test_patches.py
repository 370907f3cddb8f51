"""Labels of patches, beside what numpy says of them."""

import unittest

import numpy as np

from yuplet.selecting.patches import counted_anew


class CountedAnewTests(unittest.TestCase):
    def test_labels_are_those_of_numpy_in_the_order_of_first_pixels(self) -> None:
        rng = np.random.default_rng(5)
        for most, kind in ((2, np.int32), (40, np.int64), (3000, np.int64)):
            labels = np.repeat(rng.integers(0, most, (60, 9)), 5, axis=1).astype(kind)
            before = labels.copy()
            found = counted_anew(labels)
            self.assertTrue(np.array_equal(labels, before), "what is given stays as it is")
            self.assertTrue(np.array_equal(found == 0, labels == 0))
            named, first, inverse = np.unique(labels[labels > 0], return_index=True, return_inverse=True)
            self.assertEqual(found.max(), len(named))
            self.assertTrue(np.array_equal(found[labels > 0], np.argsort(np.argsort(first))[inverse] + 1))

    def test_nothing_is_labelled(self) -> None:
        for shape in ((0, 4), (3, 4)):
            self.assertEqual(counted_anew(np.zeros(shape, np.int32)).tolist(), np.zeros(shape).tolist())
