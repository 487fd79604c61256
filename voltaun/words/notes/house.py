"""Notes of what opens it to the house."""

NOTES = {
    # Coming in
    "shut": "This is not open yet.",
    "come_in": "Come in.",
    "no_passphrase": "Its owner has not set a passphrase. On the machine that it runs on: {command}",
    "by_code": "This code lets one device in.",
    "by_passphrase": "The passphrase, or the code that is shown on the owner’s page.",
    "stays": "A device that comes in stays in for thirty days after it was last used. Is it not yours? Leave when you "
             "are done.",
    # The house
    "reach": "Phones in the house reach it at {address}",
    "only_here": "Only this machine can reach it.",
    "to_open": "To open it to phones, stop Voltaun and start it with {command}.",
    "asks_first": "It asks for a passphrase first.",
    "with_code": "Point the camera of the phone at this picture, or type the address and the code.",
    "without_code": "Type it on the phone, or point its camera at this picture. It asks for the passphrase.",
    "code_lasts": "Lets one device in, once, for {minutes} min yet.",
    "code_to_look": "Lets one device in to look only, once, for {minutes} min yet.",
    "in_the_clear": "What goes over the air here is not encrypted: anyone in the same Wi-Fi could listen. Give the "
                    "Wi-Fi a password of its own, or start it with {option}.",
    "authority": "First, once on each phone: {address} says how it comes to believe this house. The mark there must "
                 "be {mark}.",
    "no_device": "No device but this machine.",
    "is_set": "One is set. Another one lets every device out.",
    "not_set": "None is set yet.",
    "four_words": "Four words, or twelve letters at least; such as {offered}",
    "guests": "You may set a second passphrase, for guests.",
    "guests_set": "One is set for guests.",
    "guests_see": "They see Today, its plan and the card, and change nothing.",
    "asked_here": "The passphrase is asked for on this machine too.",
    "nobody_here": "On this machine nobody is asked.",
    "forgotten": "Forgotten? On the machine that it runs on, {command} sets another one.",
    "stays_open": "These tokens go on opening what they do; the others end:",
    "broken": "The list of who may come in is broken: nobody comes in. {command} makes a new one.",
    # A token
    "take_down": "Take it down now: it is shown this once.",
    "subscribe": "The address to subscribe to, in the phone’s calendar. Whoever has it may read the plan:",
    "display": "What stands there, for a small display:",
    "also": "Also {outlook} and {plan}, in the shapes of the commands.",
    "samples": "Samples of a monitor, from a file or piped in:",
    "readings": "Readings, from a file or piped in:",
    "certificate": "The certificate is the one of [this house].",
    # A phone that is to believe the house
    "believe": "Have this phone believe the house.",
    "once": "Once for each phone. Then nobody in the Wi-Fi can listen, and the phone can log out of reach too.",
    "mark": "In the terminal where Voltaun was started stands a mark. It must be this one: {mark}",
    "settings": "In the phone’s settings look for {certificate}, and install it as one of an authority. On some "
                "phones it is a profile. Trust that in full under {about}.",
    "means": "What it means: the phone believes it for addresses of houses, as 192.168…, and the names of this one. "
             "In the wide world it counts for nothing. Its key never leaves the machine that Voltaun runs on. Take it "
             "off the phone again whenever you like.",
    "differs": "If the mark differs, somebody stands between: do not take it.",
}
