# What cmake calls a debug build is optimised all the same; see .cargo/config.toml.
set(CMAKE_C_FLAGS_DEBUG_INIT "-O2 -DNDEBUG")
set(CMAKE_CXX_FLAGS_DEBUG_INIT "-O2 -DNDEBUG")
