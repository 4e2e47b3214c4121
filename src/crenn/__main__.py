import sys

from crenn.cli import main

sys.exit(main())
