// Jobs on a thread: their order, the newest of those that replace each other, cancelling, errors.
#include "app/session/job_thread.h"
#include "app_test.h"
#include "base/error.h"

using namespace ovrix::app;

namespace {

/// A job that waits at a gate, so that what comes meanwhile waits behind it.
struct Gate {
    std::mutex mutex;
    std::condition_variable changed;
    bool begun = false, open = false;
    void pass(Progress& progress) {
        std::unique_lock lock(mutex);
        begun = true;
        changed.notify_all();
        while (!open) {
            changed.wait_for(lock, std::chrono::milliseconds(5));
            progress.check();
        }
    }
    void awaitBegun() {
        std::unique_lock lock(mutex);
        changed.wait(lock, [this] { return begun; });
    }
    void letGo() {
        const std::lock_guard lock(mutex);
        open = true;
        changed.notify_all();
    }
};

}  // namespace

class JobsTest : public QObject {
    Q_OBJECT
  private Q_SLOTS:
    void doesAllThatArePostedInOrder();
    void doesTheNewestOfThoseThatReplaceEachOther();
    void cancels();
    void survivesErrors();
    void endsWhileWorking();
};

void JobsTest::doesAllThatArePostedInOrder() {
    JobThread jobs([](const std::exception&) {});
    QVERIFY(!jobs.busy());
    QCOMPARE(jobs.busySeconds(), 0.0);
    Gate gate;
    std::vector<int> done;
    jobs.post([&](Progress& p) { gate.pass(p); });
    gate.awaitBegun();
    for (int i = 0; i < 5; ++i) jobs.post([&, i](Progress&) { done.push_back(i); });
    QVERIFY(jobs.busy());
    gate.letGo();
    jobs.waitIdle();
    QCOMPARE(done, (std::vector<int>{0, 1, 2, 3, 4}));
    QVERIFY(!jobs.busy());
}

void JobsTest::doesTheNewestOfThoseThatReplaceEachOther() {
    JobThread jobs([](const std::exception&) {});
    Gate gate;
    std::vector<int> done;
    jobs.post([&](Progress& p) {
        gate.pass(p);
        done.push_back(0);
    });
    gate.awaitBegun();
    for (int i = 1; i < 4; ++i)
        jobs.postNewest([&, i](Progress&) { done.push_back(i); }, JobThread::Forerunner::CancelIfLong);
    jobs.post([&](Progress&) { done.push_back(10); });  // must be done, so it comes first
    gate.letGo();
    jobs.waitIdle();
    QCOMPARE(done, (std::vector<int>{0, 10, 3}));
    // One that cancels its forerunner does not wait for it.
    Gate held;
    jobs.postNewest([&](Progress& p) { held.pass(p); }, JobThread::Forerunner::Cancel);
    held.awaitBegun();
    jobs.postNewest([&](Progress&) { done.push_back(20); }, JobThread::Forerunner::Cancel);
    jobs.waitIdle();
    QCOMPARE(done.back(), 20);
}

void JobsTest::cancels() {
    JobThread jobs([](const std::exception&) {});
    Gate gate;
    bool after = false, later = false;
    jobs.post([&](Progress& p) {
        const Progress::Task task(p, "Waiting");
        gate.pass(p);
    });
    gate.awaitBegun();
    QCOMPARE(QString::fromStdString(jobs.title()), QString("Waiting"));
    jobs.post([&](Progress&) { after = true; });
    jobs.cancel();
    jobs.waitIdle();
    QVERIFY(after);  // what waits is done
    Gate second;
    jobs.post([&](Progress& p) { second.pass(p); });
    second.awaitBegun();
    jobs.post([&](Progress&) { later = true; });
    jobs.postNewest([&](Progress&) { later = true; }, JobThread::Forerunner::CancelIfLong);
    jobs.clear();
    jobs.waitIdle();
    QVERIFY(!later);
}

void JobsTest::survivesErrors() {
    std::string told;
    JobThread jobs([&](const std::exception& e) { told = problemOf(e); });
    bool after = false;
    jobs.post([](Progress&) { throw Error("the cup is empty", {}, "Fill it"); });
    jobs.post([&](Progress&) { after = true; });
    jobs.waitIdle();
    QVERIFY(after);
    QVERIFY(told.find("the cup is empty") != std::string::npos);
}

void JobsTest::endsWhileWorking() {
    bool begunLater = false;
    Gate gate;
    {
        JobThread jobs([](const std::exception&) {});
        jobs.post([&](Progress& p) { gate.pass(p); });
        jobs.post([&](Progress&) { begunLater = true; });
        gate.awaitBegun();
    }
    QVERIFY(!begunLater);
}

static const RegisteredTest<JobsTest> registered;
#include "jobs_test.moc"
