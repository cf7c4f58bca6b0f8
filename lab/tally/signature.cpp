#include "lab/tally/signature.hpp"

#include <fcntl.h>
#include <openssl/bio.h>
#include <openssl/cms.h>
#include <openssl/err.h>
#include <openssl/evp.h>
#include <openssl/pem.h>
#include <openssl/rand.h>
#include <openssl/ts.h>
#include <openssl/x509.h>
#include <unistd.h>

#include <algorithm>
#include <cstring>
#include <memory>
#include <optional>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"
#include "lab/tally/chain.hpp"
#include "lab/tally/read_run.hpp"
#include "lab/tally/tally.hpp"

namespace rt::lab {
namespace {

namespace fs = std::filesystem;

template <typename Type, void (*Free)(Type*)>
struct Freed {
    void operator()(Type* thing) const { Free(thing); }
};
void free_bio(BIO* bio) {
    BIO_free_all(bio);
}
void free_certificates(STACK_OF(X509) * all) {
    sk_X509_pop_free(all, X509_free);
}
using Bio = std::unique_ptr<BIO, Freed<BIO, free_bio>>;
using AnyKey = std::unique_ptr<EVP_PKEY, Freed<EVP_PKEY, EVP_PKEY_free>>;
using Digest = std::unique_ptr<EVP_MD_CTX, Freed<EVP_MD_CTX, EVP_MD_CTX_free>>;
using Certificate = std::unique_ptr<X509, Freed<X509, X509_free>>;
using Certificates = std::unique_ptr<STACK_OF(X509), Freed<STACK_OF(X509), free_certificates>>;
using Store = std::unique_ptr<X509_STORE, Freed<X509_STORE, X509_STORE_free>>;
using Cms = std::unique_ptr<CMS_ContentInfo, Freed<CMS_ContentInfo, CMS_ContentInfo_free>>;
using TimeRequest = std::unique_ptr<TS_REQ, Freed<TS_REQ, TS_REQ_free>>;
using TimeReply = std::unique_ptr<TS_RESP, Freed<TS_RESP, TS_RESP_free>>;

Bio bio_of(std::string_view content) {
    return Bio(BIO_new_mem_buf(content.data(), static_cast<int>(content.size())));
}

std::string content_of(BIO* bio) {
    char* data = nullptr;
    const long size = BIO_get_mem_data(bio, &data);
    return {data, static_cast<std::size_t>(std::max(size, 0L))};
}

// What libcrypto said last, in its words.
std::string why() {
    const unsigned long code = ERR_peek_last_error();
    ERR_clear_error();
    const char* text = code ? ERR_reason_error_string(code) : nullptr;
    return text ? text : "no reason given";
}

std::string der(const auto* thing,
                int (*write)(const std::remove_cvref_t<decltype(*thing)>*, unsigned char**)) {
    const int size = write(thing, nullptr);
    if (size <= 0) throw Error(ErrorKind::internal, "signature", why());
    std::string out(static_cast<std::size_t>(size), '\0');
    auto* at = reinterpret_cast<unsigned char*>(out.data());
    write(thing, &at);
    return out;
}

std::vector<Certificate> certificates_in(const std::string& pem) {
    const Bio bio = bio_of(pem);
    std::vector<Certificate> out;
    while (X509* one = PEM_read_bio_X509(bio.get(), nullptr, nullptr, nullptr)) out.emplace_back(one);
    ERR_clear_error();  // the end of the text is one
    return out;
}

AnyKey public_key_in(const std::string& pem) {
    const Bio bio = bio_of(pem);
    AnyKey out(PEM_read_bio_PUBKEY(bio.get(), nullptr, nullptr, nullptr));
    ERR_clear_error();
    return out;
}

// Keys and certificates that are trusted.
struct Trust {
    std::vector<AnyKey> keys;
    std::vector<Certificate> certificates;

    explicit Trust(const std::vector<fs::path>& files) {
        for (const auto& file : files) {
            const std::string pem = read_file(file);
            auto found = certificates_in(pem);
            AnyKey key = found.empty() ? public_key_in(pem) : nullptr;
            if (found.empty() && !key)
                fail_input(file.string(), "holds neither a public key nor a certificate in PEM");
            for (auto& one : found) certificates.push_back(std::move(one));
            if (key) keys.push_back(std::move(key));
        }
    }
    Store store() const {
        Store out(X509_STORE_new());
        for (const auto& one : certificates) X509_STORE_add_cert(out.get(), one.get());
        ERR_clear_error();
        return out;
    }
};

std::string statement_of(const fs::path& run, const std::string& by) {
    std::string seal;
    RunHead head;
    std::size_t entries = 0;
    Tally::look_at(run, [&](Database& database) {
        const Verification seen = verify_chain(database, run);
        if (!seen.altered.empty())
            fail_input(run.string(),
                       "is not as it was written (" + seen.altered.front() + "): it is not signed");
        seal = seen.seal, entries = seen.entries;
        head = read_frame(database).head;
    });
    const auto line = [](const char* name, std::string value) {
        std::replace(value.begin(), value.end(), '\n', ' ');
        return std::string(name) + ": " + printable(value) + "\n";
    };
    return "Seal of a tally, signed\n" + line("title", head.title) +
           line("unit", head.detail("model") + ", serial " + head.detail("serial")) +
           line("begun", head.started) + line("entries", std::to_string(entries)) + line("seal", seal) +
           line("signed", utc_now()) + line("by", by);
}

std::string line_of(const std::string& statement, const std::string& name) {
    for (const auto line : split(std::string_view(statement), '\n')) {
        if (line.starts_with(name + ": ")) return std::string(line.substr(name.size() + 2));
    }
    return {};
}

std::string name_in(X509* certificate) {
    char text[256] = "";
    X509_NAME_get_text_by_NID(X509_get_subject_name(certificate), NID_commonName, text, sizeof text);
    return printable(text);
}

std::string ed25519(EVP_PKEY* key, const std::string& text) {
    const Digest digest(EVP_MD_CTX_new());
    std::string out(64, '\0');
    std::size_t size = out.size();
    if (EVP_DigestSignInit(digest.get(), nullptr, nullptr, nullptr, key) != 1 ||
        EVP_DigestSign(digest.get(), reinterpret_cast<unsigned char*>(out.data()), &size,
                       reinterpret_cast<const unsigned char*>(text.data()), text.size()) != 1)
        throw Error(ErrorKind::internal, "signature", why());
    return out;
}

bool ed25519_fits(EVP_PKEY* key, const std::string& text, const std::string& signature) {
    const Digest digest(EVP_MD_CTX_new());
    const bool fits = EVP_DigestVerifyInit(digest.get(), nullptr, nullptr, nullptr, key) == 1 &&
                      EVP_DigestVerify(digest.get(), reinterpret_cast<const unsigned char*>(signature.data()),
                                       signature.size(), reinterpret_cast<const unsigned char*>(text.data()),
                                       text.size()) == 1;
    ERR_clear_error();
    return fits;
}

// The time in a reply of RFC 3161, "2026-11-30 10:02:11 UTC".
std::string time_of(TS_RESP* reply) {
    const TS_TST_INFO* info = TS_RESP_get_tst_info(reply);
    const ASN1_GENERALIZEDTIME* time = info ? TS_TST_INFO_get_time(info) : nullptr;
    std::tm parts{};
    if (!time || ASN1_TIME_to_tm(time, &parts) != 1) return {};
    char text[64];
    std::strftime(text, sizeof text, "%Y-%m-%d %H:%M:%S UTC", &parts);
    return text;
}

TimeReply reply_in(const std::string& content) {
    const auto* at = reinterpret_cast<const unsigned char*>(content.data());
    TimeReply out(d2i_TS_RESP(nullptr, &at, static_cast<long>(content.size())));
    ERR_clear_error();
    return out;
}

// Whether a reply stamps these bytes; with certificates also whether one of them stands behind it. Why not,
// or "".
std::string stamp_trouble(const std::string& content, const std::string& stamped, const Trust* trust) {
    const TimeReply reply = reply_in(content);
    if (!reply) return "is no reply of an authority of time (RFC 3161)";
    std::unique_ptr<TS_VERIFY_CTX, Freed<TS_VERIFY_CTX, TS_VERIFY_CTX_free>> check(TS_VERIFY_CTX_new());
    TS_VERIFY_CTX_set_flags(check.get(), TS_VFY_VERSION | TS_VFY_DATA | (trust ? TS_VFY_SIGNATURE : 0));
    TS_VERIFY_CTX_set_data(check.get(), bio_of(stamped).release());
    if (trust) TS_VERIFY_CTX_set_store(check.get(), trust->store().release());
    if (TS_RESP_verify_response(check.get(), reply.get()) == 1) return {};
    return why();
}

// Whether the run still has the entry that was signed; how many came behind it.
std::string seal_trouble(const fs::path& run, const std::string& statement, std::size_t& later) {
    const auto entries = to_double(line_of(statement, "entries"));
    const std::string seal = line_of(statement, "seal");
    if (!entries || seal.empty()) return "the statement names no seal";
    std::string there;
    std::size_t all = 0;
    Tally::look_at(run, [&](Database& database) {
        Statement rows(database, "SELECT number, hash FROM chain ORDER BY number");
        while (rows.step()) {
            ++all;
            if (static_cast<double>(all) == *entries) there = rows.text(1);
        }
    });
    if (there != seal) return "the run is not the one that was signed: its chain does not have that seal";
    later = all - static_cast<std::size_t>(*entries);
    return {};
}

// CMS against the certificates in it, and these against those that are trusted.
void check_certificates(const std::string& statement, const std::string& signature, const Trust& trust,
                        SignatureState& out) {
    const Bio content = bio_of(signature);
    const Cms cms(d2i_CMS_bio(content.get(), nullptr));
    const auto verify = [&](X509_STORE* store, unsigned more) {
        const Bio text = bio_of(statement);
        return cms && CMS_verify(cms.get(), nullptr, store, text.get(), nullptr, CMS_BINARY | more) == 1;
    };
    if (!verify(nullptr, CMS_NO_SIGNER_CERT_VERIFY)) {
        out.worth = SignatureWorth::broken;
        out.trouble = "the signature does not fit the statement: " + why();
        return;
    }
    std::unique_ptr<STACK_OF(X509), void (*)(STACK_OF(X509)*)> signers(
        CMS_get0_signers(cms.get()), [](STACK_OF(X509) * all) { sk_X509_free(all); });
    if (signers && sk_X509_num(signers.get()) > 0) out.by = name_in(sk_X509_value(signers.get(), 0));
    const Store store = trust.store();
    X509_VERIFY_PARAM* wanted = X509_STORE_get0_param(store.get());
    X509_VERIFY_PARAM_set_purpose(wanted, X509_PURPOSE_ANY);
    // A certificate that has lapsed since counts where a stamp says that it had not.
    std::tm parts{};
    if (!out.stamped.empty() && ::strptime(out.stamped.c_str(), "%Y-%m-%d %H:%M:%S", &parts))
        X509_VERIFY_PARAM_set_time(wanted, ::timegm(&parts));
    const bool trusted = !trust.certificates.empty() && verify(store.get(), 0);
    if (!trusted && !trust.certificates.empty()) out.trouble = "its certificate is not trusted: " + why();
    ERR_clear_error();
    out.worth = trusted ? SignatureWorth::labs : SignatureWorth::self_made;
}

}  // namespace

std::string SignatureState::text() const {
    std::string out;
    switch (worth) {
        case SignatureWorth::none:
            return "none";
        case SignatureWorth::broken:
            return "BROKEN: " + trouble;
        case SignatureWorth::self_made:
            out = "self-made (nobody here trusts its key)";
            break;
        case SignatureWorth::labs:
            out = "the lab's";
            break;
    }
    if (!by.empty()) out += ", " + by;
    out += stamped.empty() ? ", signed " + signed_ + " as it says itself" : ", time-stamped " + stamped;
    if (later > 0)
        out += "; " + std::to_string(later) + (later == 1 ? " entry" : " entries") +
               " of the tally came later and are not signed";
    return out + (trouble.empty() ? "" : "; " + trouble);
}

SignatureState signature_of(const fs::path& run, const std::vector<fs::path>& trusted) {
    SignatureState out;
    const Trust trust(trusted);
    const auto there = [&](const char* name) { return fs::is_regular_file(run / name); };
    if (!there(statement_file) && !there(signature_file)) return out;
    out.worth = SignatureWorth::broken;
    for (const char* name : {statement_file, signature_file, key_file}) {
        if (there(name)) continue;
        out.trouble = std::string(name) + " is missing";
        return out;
    }
    const std::string statement = read_file(run / statement_file),
                      signature = read_file(run / signature_file), pem = read_file(run / key_file);
    out.by = printable(line_of(statement, "by"));
    out.signed_ = printable(line_of(statement, "signed"));
    out.trouble = seal_trouble(run, statement, out.later);
    if (!out.trouble.empty()) return out;
    std::string doubt;
    if (there(stamp_file)) {
        const std::string reply = read_file(run / stamp_file);
        doubt = stamp_trouble(reply, signature, &trust);
        if (doubt.empty())
            out.stamped = time_of(reply_in(reply).get());
        else
            doubt = "its time stamp does not count: " + doubt;
    }
    if (const AnyKey key = public_key_in(pem)) {
        if (!ed25519_fits(key.get(), statement, signature)) {
            out.trouble = "the signature does not fit statement and key";
            return out;
        }
        const bool known = std::any_of(trust.keys.begin(), trust.keys.end(), [&](const AnyKey& one) {
            return EVP_PKEY_eq(one.get(), key.get()) == 1;
        });
        out.worth = known ? SignatureWorth::labs : SignatureWorth::self_made;
    } else {
        check_certificates(statement, signature, trust, out);
    }
    if (out.worth != SignatureWorth::broken && !doubt.empty())
        out.trouble += (out.trouble.empty() ? "" : "; ") + doubt;
    return out;
}

void sign_run(const fs::path& run, const fs::path& key, const fs::path& certificate, const std::string& by) {
    const std::string key_text = read_file(key);
    const Bio key_bio = bio_of(key_text);
    const AnyKey own(PEM_read_bio_PrivateKey(key_bio.get(), nullptr, nullptr, nullptr));
    if (!own) fail_input(key.string(), "holds no private key in PEM: " + why());
    const std::string statement = statement_of(run, by);
    std::string signature, shown;
    if (certificate.empty()) {
        if (EVP_PKEY_id(own.get()) != EVP_PKEY_ED25519)
            fail_input(key.string(),
                       "is no Ed25519 key: make one by rare-tally sign --new-key FILE, or give its "
                       "certificate");
        signature = ed25519(own.get(), statement);
        const Bio out(BIO_new(BIO_s_mem()));
        PEM_write_bio_PUBKEY(out.get(), own.get());
        shown = content_of(out.get());
    } else {
        shown = read_file(certificate);
        auto chain = certificates_in(shown);
        if (chain.empty()) fail_input(certificate.string(), "holds no certificate in PEM");
        if (X509_check_private_key(chain.front().get(), own.get()) != 1)
            fail_input(key.string(), "is not the key of the first certificate in " + certificate.string());
        const Certificates above(sk_X509_new_null());
        for (std::size_t i = 1; i < chain.size(); ++i) {
            X509_up_ref(chain[i].get());
            sk_X509_push(above.get(), chain[i].get());
        }
        const Bio text = bio_of(statement);
        const Cms cms(
            CMS_sign(chain.front().get(), own.get(), above.get(), text.get(), CMS_DETACHED | CMS_BINARY));
        if (!cms) fail_input(certificate.string(), "cannot sign: " + why());
        signature = der(cms.get(), i2d_CMS_ContentInfo);
    }
    std::error_code ignored;
    fs::remove(run / stamp_file, ignored);
    write_file(run / statement_file, statement);
    write_file(run / key_file, shown);
    write_file(run / signature_file, signature);
}

void write_signing_key(const fs::path& file) {
    fs::path shown = file;
    shown += ".pub";
    for (const auto& one : {file, shown})
        if (fs::exists(one)) fail_input(one.string(), "exists already and is never overwritten");
    const AnyKey key(EVP_PKEY_Q_keygen(nullptr, nullptr, "ED25519"));
    if (!key) throw Error(ErrorKind::output, file.string(), "no key could be made: " + why());
    const Bio secret(BIO_new(BIO_s_mem())), open(BIO_new(BIO_s_mem()));
    PEM_write_bio_PrivateKey(secret.get(), key.get(), nullptr, nullptr, 0, nullptr, nullptr);
    PEM_write_bio_PUBKEY(open.get(), key.get());
    // Nobody else may read it, not even for a moment.
    const int handle = ::open(file.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
    if (handle < 0)
        throw Error(ErrorKind::output, file.string(),
                    std::string("cannot be written: ") + std::strerror(errno));
    const std::string text = content_of(secret.get());
    const bool written = ::write(handle, text.data(), text.size()) == static_cast<ssize_t>(text.size()) &&
                         ::fsync(handle) == 0;
    ::close(handle);
    if (!written) throw Error(ErrorKind::output, file.string(), "cannot be written");
    write_file(shown, content_of(open.get()));
}

void write_time_request(const fs::path& run, const fs::path& file) {
    if (!fs::is_regular_file(run / signature_file))
        fail_input(run.string(), "is not signed: rare-tally sign RUN --key FILE");
    const std::string signature = read_file(run / signature_file);
    unsigned char digest[EVP_MAX_MD_SIZE];
    unsigned size = 0;
    EVP_Digest(signature.data(), signature.size(), digest, &size, EVP_sha256(), nullptr);
    const TimeRequest request(TS_REQ_new());
    std::unique_ptr<TS_MSG_IMPRINT, Freed<TS_MSG_IMPRINT, TS_MSG_IMPRINT_free>> imprint(TS_MSG_IMPRINT_new());
    std::unique_ptr<X509_ALGOR, Freed<X509_ALGOR, X509_ALGOR_free>> algorithm(X509_ALGOR_new());
    X509_ALGOR_set_md(algorithm.get(), EVP_sha256());
    TS_MSG_IMPRINT_set_algo(imprint.get(), algorithm.get());
    TS_MSG_IMPRINT_set_msg(imprint.get(), digest, static_cast<int>(size));
    TS_REQ_set_version(request.get(), 1);
    TS_REQ_set_msg_imprint(request.get(), imprint.get());
    TS_REQ_set_cert_req(request.get(), 1);
    write_file(file, der(request.get(), i2d_TS_REQ));
}

void take_time_reply(const fs::path& run, const fs::path& reply) {
    if (!fs::is_regular_file(run / signature_file))
        fail_input(run.string(), "is not signed: rare-tally sign RUN --key FILE");
    const std::string content = read_file(reply);
    if (const auto trouble = stamp_trouble(content, read_file(run / signature_file), nullptr);
        !trouble.empty())
        fail_input(reply.string(), "does not stamp the signature of " + run.string() + ": " + trouble);
    write_file(run / stamp_file, content);
}

}  // namespace rt::lab
