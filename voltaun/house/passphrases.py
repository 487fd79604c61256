"""Passphrases: what is good enough, made-up ones, and how they are kept and told apart."""

import secrets
import unicodedata
from threading import Lock

from werkzeug.security import check_password_hash, generate_password_hash

LEAST_WORDS, LEAST_LETTERS, LEAST_DIFFERENT = 4, 12, 6
"""So many words, or so many letters, are asked for; and so many different letters in any case."""

LONGEST = 200
"""No passphrase is longer, in letters."""

OFFERED_WORDS = 5

_WORDS = """
acorn alder amber anchor antler apple apron arrow ashes aspen attic autumn axle badger bakery bamboo banjo barley barn
barrel basil basket beacon beaver beech beetle bellow bench berry birch biscuit blanket bobbin bonnet border bottle
bramble brick bridge bristle broom bucket buckle button cabin cable cactus camel candle canoe canvas carrot castle
cattle cedar cello chain cherry chimney clover cobweb cocoa comet copper coral cotton cradle crane cricket crocus
cushion daisy damson dapple deck dew dingo doorway dragon drum dune eagle earth easel elbow elder ember engine falcon
feather fennel fern ferry fiddle field finch fjord flag flint flute foal fog forest fossil fox frost furrow gable
garden garlic gate ginger glacier glove gourd granite grape gravel grove gull hammer hamper harbour harvest hatch
hawthorn hazel heather hedge heron hinge hollow honey hood horizon hornet icicle iron island ivory ivy jacket jam
jasmine jetty juniper kelp kernel kettle kitten ladder lagoon lantern larch lark lattice lavender ledge lemon lichen
lilac linen lobster locket lumber magnet maple marble marsh meadow melon mill mint mirror mitten moor moss mountain
mustard needle nettle nutmeg oak oar oats oboe olive onion orbit orchard otter oven owl paddle pantry parsley pebble
pepper pier pigeon pillow pine plank plum pond poppy porch potato prairie puddle pumpkin quarry quill quilt rabbit
raft rain raisin raven reed ribbon ridge river robin rocket rope rosemary rudder saddle saffron sail salmon sand
sapling satchel sauna scarf shed shell shovel silver skillet sleigh slope smoke snail sparrow spindle spruce stable
starling steam stone stove straw summit swallow tangle teapot thatch thimble thistle thunder timber tinder torch
tractor trail trellis trout tulip tunnel turnip valley velvet vine violet wagon walnut water willow window winter
wombat woodpile wool yarn yeast zinc
"""
WORDS = tuple(_WORDS.split())


def tidied(typed: str) -> str:
    """A passphrase as it is compared: however phones write its capitals and spaces."""
    return " ".join(unicodedata.normalize("NFKC", typed).casefold().split())


def fault(typed: str) -> str | None:
    """Why a passphrase is not good enough: what was found and what was expected; None where it is."""
    text = tidied(typed)
    if len(text) > LONGEST:
        return f"found {len(text)} letters, expected at most {LONGEST}"
    if len(text.split()) < LEAST_WORDS and len(text) < LEAST_LETTERS:
        return f"found {len(text)} letters, expected {LEAST_WORDS} words or {LEAST_LETTERS} letters at least"
    if len(set(text) - {" "}) < LEAST_DIFFERENT:
        return f"found hardly any different letters, expected {LEAST_DIFFERENT} at least"
    return None


def made_up() -> str:
    """A passphrase of five words, drawn by chance: one of two million millions."""
    return " ".join(secrets.choice(WORDS) for _ in range(OFFERED_WORDS))


def hashed(typed: str) -> str:
    """What is kept of a passphrase (scrypt with a salt of its own). Raises ValueError where it is not good enough."""
    wrong = fault(typed)
    if wrong:
        raise ValueError(wrong)
    return generate_password_hash(tidied(typed), method="scrypt")


_ONE_BY_ONE = Lock()


def opens(typed: str, kept: list[str | None]) -> list[bool]:
    """Whether what was typed is each of the kept ones. It takes as long whatever was typed and whichever it is; one is
    looked at at a time, so that many guesses at once hold neither memory nor the other requests."""
    text = tidied(typed)[:LONGEST + 1]
    with _ONE_BY_ONE:
        return [bool(each) and check_password_hash(each or "", text) for each in kept]
