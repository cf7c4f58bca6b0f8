// Runs whose seal is signed: by a key of one's own, by the lab's certificate, with a time stamp.
#include <doctest/doctest.h>

#include "lab/tally/signature.hpp"
#include "tests/cli/stand.hpp"

using rt::lab::SignatureWorth;

namespace {

// openssl as a person would use it, in the folder.
Said openssl(const std::filesystem::path& folder, std::vector<std::string> arguments) {
    arguments.insert(arguments.begin(), "openssl");
    return run_in(folder, "/usr/bin/openssl",
                  std::vector<std::string>(arguments.begin() + 1, arguments.end()));
}

struct Signed {
    Stand stand;
    Signed() {
        stand.tests = Stand::scanning("scan", "[[test.judge]]\nrule = \"own/loud\"\n");
        REQUIRE(stand.run().code == 0);
        CHECK(tell({"sign", "--new-key", "quill.key"}).code == 0);
    }
    Said tell(std::vector<std::string> arguments) const {
        return rare_tally(stand.folder.path(), std::move(arguments));
    }
    Said sign(std::vector<std::string> more = {}) const {
        more.insert(more.begin(), {"sign", "run", "--key", "quill.key", "--by", "B. Quill"});
        return tell(std::move(more));
    }
    Said verify(std::vector<std::string> more = {}) const {
        more.insert(more.begin(), {"verify", "run"});
        return tell(std::move(more));
    }
    std::filesystem::path at(const std::string& name) const { return stand.folder / name; }
    // A lab with a certificate under an authority of its own.
    void make_lab() const {
        const auto well = [&](std::vector<std::string> arguments) {
            const Said said = openssl(stand.folder.path(), std::move(arguments));
            CHECK_MESSAGE(said.code == 0, said.err);
        };
        well({"req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout", "ca.key", "-out", "ca.pem", "-days",
              "3650", "-subj", "/CN=Northhaven Authority"});
        well({"req", "-newkey", "rsa:2048", "-nodes", "-keyout", "lab.key", "-out", "lab.csr", "-subj",
              "/CN=Lantern Quay Laboratory"});
        well({"x509", "-req", "-in", "lab.csr", "-CA", "ca.pem", "-CAkey", "ca.key", "-CAcreateserial",
              "-days", "3650", "-out", "lab.pem"});
    }
    // A stand-in for an authority of time: openssl ts.
    void make_clock() const {
        stand.folder.write(
            "ts.cnf",
            "[req]\ndistinguished_name = dn\nx509_extensions = ext\nprompt = no\n[dn]\nCN = Northhaven Time\n"
            "[ext]\nextendedKeyUsage = critical,timeStamping\nbasicConstraints = CA:FALSE\n"
            "[tsa]\ndefault_tsa = tsa1\n[tsa1]\nserial = ./tsa.serial\ncrypto_device = builtin\nsigner_cert "
            "= "
            "tsa.pem\nsigner_key = tsa.key\nsigner_digest = sha256\ndefault_policy = 1.2.3.4.1\ndigests = "
            "sha256\n");
        stand.folder.write("tsa.serial", "01\n");
        const Said made = openssl(stand.folder.path(),
                                  {"req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout", "tsa.key",
                                   "-out", "tsa.pem", "-days", "3650", "-config", "ts.cnf"});
        CHECK_MESSAGE(made.code == 0, made.err);
    }
    void stamp(const char* reply = "run.tsr") const {
        CHECK(tell({"sign", "run", "--time-request", "run.tsq"}).code == 0);
        const Said said = openssl(stand.folder.path(), {"ts", "-reply", "-queryfile", "run.tsq", "-config",
                                                        "ts.cnf", "-section", "tsa1", "-out", reply});
        CHECK_MESSAGE(said.code == 0, said.err);
    }
};

}  // namespace

TEST_CASE("a key of one's own: worth what who reads it trusts, and verified by openssl alone") {
    const Signed run;
    CHECK(contains(run.verify().out, "signature: none"));
    CHECK(std::filesystem::status(run.at("quill.key")).permissions() ==
          (std::filesystem::perms::owner_read | std::filesystem::perms::owner_write));
    const Said said = run.sign();
    CHECK_MESSAGE(said.code == 0, said.err);
    CHECK(contains(run.verify().out, "signature: self-made (nobody here trusts its key), B. Quill"));
    CHECK(contains(run.verify({"--trust", "quill.key.pub"}).out, "signature: the lab's, B. Quill"));
    CHECK(run.verify().code == 0);
    CHECK_FALSE(contains(run.verify().out, "not of the run"));
    // Trusted by the defaults of the lab.
    run.stand.folder.write("defaults.toml", "[defaults]\ntrusted = [\"quill.key.pub\"]\n");
    CHECK(contains(rare_tally(run.stand.folder.path(), {"verify", "run"},
                              {{"RARE_TALLY_DEFAULTS", run.at("defaults.toml").string()}})
                       .out,
                   "signature: the lab's"));
    CHECK(openssl(run.at("run"), {"pkeyutl", "-verify", "-pubin", "-inkey", "seal.key.pem", "-rawin", "-in",
                                  "seal.statement", "-sigfile", "seal.signature"})
              .code == 0);
    // Every command that reads the run says it.
    for (const std::vector<std::string>& command :
         {std::vector<std::string>{"report", "run", "--figures", "0", "--out", "r"},
          {"judge", "run"},
          {"export", "run", "--as", "csv"},
          {"compare", "run", "run"}})
        CHECK_MESSAGE(contains(run.tell(command).err, "signature of run: self-made"), command.front());
    CHECK(contains(rt::lab::read_file(run.at("r/report.html")),
                   "self-made (nobody here trusts its key), B. Quill"));
}

TEST_CASE("whoever rewrites a run and its chain is told, and so is who touches statement, key or signature") {
    const Signed run;
    CHECK(run.sign().code == 0);
    const auto with = [&](const char* file, const std::string& content) {
        const std::string kept = rt::lab::read_file(run.at(std::string("run/") + file));
        run.stand.folder.write((std::string("run/") + file).c_str(), content);
        const Said said = run.verify();
        run.stand.folder.write((std::string("run/") + file).c_str(), kept);
        return said;
    };
    std::string statement = rt::lab::read_file(run.at("run/seal.statement"));
    statement.replace(statement.find("B. Quill"), 8, "A. Marsh");
    Said said = with("seal.statement", statement);
    CHECK(said.code == 1);
    CHECK(contains(said.out, "ALTERED  signature: the signature does not fit statement and key"));
    CHECK(with("seal.signature", std::string(64, 'x')).code == 1);
    CHECK(with("seal.signature", "").code == 1);
    run.tell({"sign", "--new-key", "other.key"});
    CHECK(with("seal.key.pem", rt::lab::read_file(run.at("other.key.pub"))).code == 1);
    CHECK(run.verify().code == 0);
    std::filesystem::remove(run.at("run/seal.key.pem"));
    CHECK(contains(run.verify().out, "seal.key.pem is missing"));
    CHECK(run.sign().code == 0);
    // A value changed, and the whole chain made anew over it: the chain fits, the signature does not.
    alter(run.at("run"), "UPDATE result SET value = value - 10");
    rechain(run.at("run"));
    said = run.verify();
    CHECK(said.code == 1);
    CHECK(contains(said.out, "the run is not the one that was signed: its chain does not have that seal"));
    CHECK(run.tell({"report", "run", "--out", "r"}).code == 2);
    CHECK(run.tell({"judge", "run"}).code == 2);
}

TEST_CASE("what comes behind the signature is told apart; signing again covers it") {
    const Signed run;
    CHECK(run.sign().code == 0);
    CHECK(run.tell({"report", "run", "--set", "unit.owner=B. Quill", "--figures", "0"}).code == 0);
    CHECK(contains(run.verify().out, "entries of the tally came later and are not signed"));
    CHECK(run.sign().code == 0);
    CHECK_FALSE(contains(run.verify().out, "came later"));
}

TEST_CASE("the lab's certificate: CMS, trusted under its authority, and verified by openssl alone") {
    const Signed run;
    run.make_lab();
    const Said said = run.tell({"sign", "run", "--key", "lab.key", "--certificate", "lab.pem"});
    CHECK_MESSAGE(said.code == 0, said.err);
    CHECK(contains(run.verify().out,
                   "signature: self-made (nobody here trusts its key), Lantern Quay Laboratory"));
    CHECK(contains(run.verify({"--trust", "ca.pem"}).out, "signature: the lab's, Lantern Quay Laboratory"));
    CHECK(openssl(run.at("run"),
                  {"cms", "-verify", "-binary", "-inform", "DER", "-in", "seal.signature", "-content",
                   "seal.statement", "-CAfile", "../ca.pem", "-purpose", "any", "-out", "/dev/null"})
              .code == 0);
    std::string statement = rt::lab::read_file(run.at("run/seal.statement"));
    run.stand.folder.write("run/seal.statement", statement + "more: 1\n");
    CHECK(run.verify({"--trust", "ca.pem"}).code == 1);
    run.stand.folder.write("run/seal.statement", statement);
    CHECK(run.verify({"--trust", "ca.pem"}).code == 0);
    // The key of somebody else, and no certificate at all.
    CHECK(contains(run.tell({"sign", "run", "--key", "ca.key", "--certificate", "lab.pem"}).err,
                   "is not the key of the first certificate"));
    CHECK(contains(run.tell({"sign", "run", "--key", "lab.key"}).err, "is no Ed25519 key"));
    CHECK(contains(run.tell({"sign", "run", "--key", "lab.pem"}).err, "holds no private key in PEM"));
}

TEST_CASE("a time stamp counts from an authority that is trusted, for the signature that it stamps") {
    const Signed run;
    run.make_clock();
    CHECK(contains(run.tell({"sign", "run", "--time-request", "x.tsq"}).err, "is not signed"));
    CHECK(run.sign().code == 0);
    run.stamp();
    const Said taken = run.tell({"sign", "run", "--time-reply", "run.tsr"});
    CHECK_MESSAGE(taken.code == 0, taken.err);
    CHECK(contains(run.verify().out, "its time stamp does not count"));
    CHECK(contains(run.verify({"--trust", "tsa.pem"}).out, ", time-stamped 20"));
    CHECK(openssl(run.at("run"), {"ts", "-verify", "-in", "seal.stamp.tsr", "-data", "seal.signature",
                                  "-CAfile", "../tsa.pem"})
              .code == 0);
    // Signed again, the stamp is gone; the old reply stamps another signature.
    CHECK(run.tell({"report", "run", "--set", "note=x", "--figures", "0"}).code == 0);
    CHECK(run.sign().code == 0);
    CHECK_FALSE(std::filesystem::exists(run.at("run/seal.stamp.tsr")));
    const Said old = run.tell({"sign", "run", "--time-reply", "run.tsr"});
    CHECK(old.code == 2);
    CHECK(contains(old.err, "does not stamp the signature of run"));
    run.stand.folder.write("bad.tsr", "no reply");
    CHECK(contains(run.tell({"sign", "run", "--time-reply", "bad.tsr"}).err,
                   "is no reply of an authority of time"));
    // Put there by hand it is no better.
    std::filesystem::copy_file(run.at("run.tsr"), run.at("run/seal.stamp.tsr"));
    CHECK(contains(run.verify({"--trust", "tsa.pem"}).out, "its time stamp does not count"));
}

TEST_CASE("signing is refused for a run that was altered, and no key is overwritten") {
    const Signed run;
    alter(run.at("run"), "UPDATE result SET value = value - 10");
    CHECK(contains(run.sign().err, "is not as it was written"));
    CHECK_FALSE(std::filesystem::exists(run.at("run/seal.statement")));
    CHECK(contains(run.tell({"sign", "--new-key", "quill.key"}).err, "exists already"));
    CHECK(run.tell({"sign", "run"}).code == 2);
    CHECK(run.tell({"verify", "run", "--trust", "bench.toml"}).code == 2);
}
