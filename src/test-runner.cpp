#define TESTTHAT_TEST_RUNNER
#include <testthat.h>
