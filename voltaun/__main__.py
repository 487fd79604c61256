from voltaun.cli import main

main()
