import gc

# Imports and pages make many objects that stay; looking through them at every 700th is a tenth of a start.
gc.set_threshold(50_000, 20, 50)

from voltaun.cli.main import main  # noqa: E402

if __name__ == "__main__":
    main()
