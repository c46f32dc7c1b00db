// Turns of keys between threads.
#include "eval/cache/key_locks.h"

#include "base/error.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

TEST_CASE("one thread at a time has a key's turn, and others go on with other keys", "[threads][locks]") {
    KeyLocks locks;
    std::array<std::atomic<int>, 3> inside{};
    std::atomic<int> together = 0, turns = 0;
    std::vector<std::thread> threads;
    for (size_t t = 0; t < 6; ++t)
        threads.emplace_back([&, t] {
            for (size_t k = 0; k < 300; ++k) {
                const size_t key = (t + k) % 3;
                const KeyLocks::Turn turn = locks.take(key, Progress::none());
                together += ++inside[key] > 1;
                ++turns;
                --inside[key];
            }
        });
    for (std::thread& t : threads) t.join();
    CHECK(together == 0);
    CHECK(turns == 1800);
    CHECK(locks.size() == 0);
}

TEST_CASE("a thread that has the turn takes it again, and who waits can be cancelled", "[threads][locks]") {
    KeyLocks locks;
    Progress progress;
    {
        const KeyLocks::Turn turn = locks.take(7, progress);
        const KeyLocks::Turn again = locks.take(7, progress);
        Progress other;
        std::thread waits([&] { CHECK_THROWS_AS(locks.take(7, other), Cancelled); });
        other.cancel();
        waits.join();
        std::thread another([&] { (void)locks.take(8, Progress::none()); });
        another.join();
    }
    std::thread after([&] { (void)locks.take(7, Progress::none()); });
    after.join();
    CHECK(locks.size() == 0);  // of those that were cancelled, too
}
