// Precompiled for the tests.
#pragma once
#include <catch2/catch.hpp>

#include "base/pch.h"
