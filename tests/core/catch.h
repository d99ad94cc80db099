// Catch, as the core's tests write it.
#pragma once
#define CATCH_CONFIG_PREFIX_ALL
#include <testthat/vendor/catch.h>

#define context(name) CATCH_TEST_CASE(name)
#define test_that CATCH_SECTION
#define expect_true CATCH_CHECK
#define expect_false CATCH_CHECK_FALSE
#define expect_error_as CATCH_CHECK_THROWS_AS
