// The core's tests as a program: tools/core-tests.sh builds and runs it.
#define CATCH_CONFIG_MAIN
#include "catch.h"
