/** What a pack's VERIFY.md tells. */
export interface VerifyFacts {
  readonly project: string;
  readonly build: string;
  readonly at: string;
  readonly seq: number;
  readonly entries: number;
  readonly head: string;
  /** SHA-256 of public-key.pem. */
  readonly keyHash: string;
  readonly keyMadeAt: string;
  /** How many keys the installation has signed with so far. */
  readonly keys: number;
}

/**
 * How to check a pack with `sha256sum`, `awk` and `openssl` alone. Every indented block is pasted as it stands, in the folder that the pack was
 * unpacked into; each says in its last line whether it held.
 */
export function verifyText(facts: VerifyFacts): string {
  const chain = Array.from(
    { length: facts.keys - 1 },
    (_, i) =>
      `    openssl pkeyutl -verify -pubin -inkey keys/${i + 1}.pem -rawin -in keys/${i + 2}.pem -sigfile keys/${i + 2}.sig && echo "key ${i + 2} was signed by key ${i + 1}"`,
  ).join('\n');
  return `# How to check this proof pack

Proof pack of **${facts.project}**, build **${facts.build}**, made ${facts.at} from ledger entry ${facts.seq}.

Nothing of ours is needed: \`bash\`, \`sha256sum\`, \`awk\`, \`find\` and \`openssl\` (3.0 or later) do all of it. Unpack the archive into an empty
folder, open a shell there, and paste each block as it stands. The last line that a block prints says whether it held; a line in
CAPITALS says what did not.

## 1. No file was changed, none is missing, none was added

    sha256sum --check --strict --quiet SHA256SUMS && echo "every listed file is as it was" || echo "A LISTED FILE WAS CHANGED OR IS MISSING"
    { cut -c67- SHA256SUMS; echo SHA256SUMS; echo SHA256SUMS.sig; } | LC_ALL=C sort > /tmp/listed.$$
    find . -type f | sed 's#^\\./##' | LC_ALL=C sort | comm -13 /tmp/listed.$$ - > /tmp/unlisted.$$
    [ -s /tmp/unlisted.$$ ] && { echo "FILES THAT THE LIST DOES NOT NAME:"; cat /tmp/unlisted.$$; } || echo "no file stands here that is not listed"

## 2. The list was signed

    openssl pkeyutl -verify -pubin -inkey public-key.pem -rawin -in SHA256SUMS -sigfile SHA256SUMS.sig && echo "the list is the one that was signed" || echo "THE LIST IS NOT THE ONE THAT WAS SIGNED"

## 3. It was signed with the key that you know

Whoever makes everything anew and signs it with a key of their own passes all other steps. Only this one shows it: the
fingerprint must be the one that the organisation gave you on another way, or that Cord Proof shows under Prove (key of ${facts.keyMadeAt.slice(0, 10)}).

    [ "$(sha256sum public-key.pem | cut -d' ' -f1)" = "${facts.keyHash}" ] && echo "fingerprint ${facts.keyHash}" || echo "THE KEY IS NOT THE ONE THAT THIS PAGE NAMES"
${chain ? `\nKeys are changed from time to time; each was signed by the one before it.\n\n${chain}\n` : ''}
## 4. Each signed text is the one that was signed

\`signatures.tsv\` names every signature: the file that holds the signed text, the SHA-256 that was signed, who, when, and what it means.
(\`-\` stands where the text is not a file of this pack.)

    awk -F'\\t' 'NR > 1 && $1 != "-" { print $2 "  " $1 }' signatures.tsv > /tmp/signed.$$
    [ -s /tmp/signed.$$ ] && { sha256sum --check --strict --quiet /tmp/signed.$$ && echo "every signed text has the hash that was signed" || echo "A SIGNED TEXT IS NOT THE ONE THAT WAS SIGNED"; } || echo "nothing is signed in this pack"

Evidence is named in each run's record with its own sum; so a file of evidence cannot be exchanged either:

    cat /dev/null runs/*/evidence.sha256 > /tmp/evidence.$$ 2>/dev/null; [ -s /tmp/evidence.$$ ] && { sha256sum --check --strict --quiet /tmp/evidence.$$ && echo "every file of evidence is the one recorded" || echo "EVIDENCE IS NOT WHAT WAS RECORDED"; } || echo "no evidence is in this pack"

## 5. Each signature was made when the ledger says, by whom it says

    awk -F'\\t' 'NR == FNR { if (FNR > 1) { want[$4 "\\t" $3] = want[$4 "\\t" $3] " " $2; open[$4 "\\t" $3 "\\t" $2] = $6 " " $5 " by " $3 " at " $4 } next }
      { at = who = ""
        if (match($0, /"at":"[0-9TZ:.-]*"/)) at = substr($0, RSTART + 6, RLENGTH - 7)
        if (match($0, /"who":"[^"]*"/)) who = substr($0, RSTART + 7, RLENGTH - 8)
        n = split(want[at "\\t" who], hashes, " ")
        for (i = 1; i <= n; i++) if (index($0, hashes[i])) delete open[at "\\t" who "\\t" hashes[i]] }
      END { for (o in open) { print "NOT IN THE LEDGER: " open[o]; bad = 1 } if (!bad) print "every signature stands in the ledger" }' signatures.tsv ledger.jsonl

## 6. The ledger is one unbroken chain

Each line of \`ledger.jsonl\` is an entry in canonical JSON (RFC 8785), with the hash of the line before it in \`previous\`. It has ${facts.entries} entries.
(The block starts one \`sha256sum\` an entry: some seconds for a thousand.)

    previous=${'0'.repeat(64)}
    while IFS= read -r line; do
      case "$line" in *"\\"previous\\":\\"$previous\\""*) ;; *) echo "THIS ENTRY DOES NOT FOLLOW THE ONE BEFORE: \${line:0:200}"; break ;; esac
      previous=$(printf %s "$line" | sha256sum | cut -d' ' -f1)
    done < ledger.jsonl
    [ "$previous" = "${facts.head}" ] && echo "the ledger is whole, to its entry ${facts.seq}" || echo "THE LEDGER DOES NOT END WHERE THIS PACK WAS MADE"

## What a forger could try, and where it shows

| what is done | shows in step |
|---|---|
| one byte of a file is changed; a file is added or taken away | 1 |
| a verdict is changed, and the list of sums with it | 2, and 4 if the run was signed |
| a signature is moved to another record | 4, and 5 |
| a signature is invented, or its person or time changed | 5 |
| the last ledger entries are cut off | 6 |
| an entry is changed in the middle | 6 |
| all of it is made anew and signed with another key | 3 alone: compare the fingerprint |

## What is in here

| file | what it holds |
|---|---|
| \`index.html\` | where to begin: a line for every requirement and case |
| \`requirements/…html\`, \`cases/…html\` | everything that proves one requirement; each case with its history |
| \`summary.pdf\` (and \`summary-2.pdf\` and so on, where there are many), \`cords/cords.json\`, \`breaks.csv\` | the cord of every requirement on this build, with each reason |
| \`trace/\` | the trace matrix; every trace, to records and to code, with both revisions, who, when and why |
| \`requirements.json\`, \`cases.json\`, \`signed/\` | the texts and their revisions; the texts that approvals are bound to |
| \`pictures/\` | pictures that stand in those texts, by the SHA-256 of their bytes |
| \`runs/\` | run records with steps, evidence, decisions and signatures; \`carried.json\` which of them are of another build, and what was signed of that |
| \`coverage/\` | structural coverage, exercised and credited; \`raw/\` as it was loaded, \`measurements.json\` what each of those files is of, \`functions.json\` where the functions stand, \`attestations.json\` and \`carried.json\` what was signed of it |
| \`problems.json\`, \`deviations.json\` | what is open; what was accepted although it deviates, with the argument |
| \`configuration.json\`, \`people.json\` | builds, sources, revisions, tools; who had which role, and what became of accounts |
| \`signatures.tsv\`, \`ledger.jsonl\`, \`keys/\` | signatures; everything that was done, by whom and when; the keys |
| \`STATEMENT.md\` | what Cord Proof computes, and how its own figures were checked |
`;
}

/** What Cord Proof computes, and how that is known to be right. */
export const statementText = `# What Cord Proof computes, and how that was checked

- **Verdicts**: any failed step fails a run; a step that could not be done blocks it; a remark makes it passed with deviation, which counts as
  passed once a reviewer accepted it. One failed data row fails the case, one failed case the requirement.
- **Cords**: for each requirement five judgements (text, cases, runs, code, signatures), each with its reasons. The rules are written a
  second time in the tests and compared on ten thousand random projects.
- **Structural coverage** is read from what compilers and tools wrote; nothing is instrumented here. Sums were compared with the totals of gcov, lcov,
  llvm-cov and the Istanbul reporters on the same files. *Exercised* is what any run hit; *credited* what a passing run of a case hit that verifies a
  requirement which that code implements.
- **Hashes** are SHA-256 (FIPS 180-4) over canonical JSON (RFC 8785) in numbered formats that do not change once released; golden files hold each
  format. The pack's list is signed with Ed25519 (RFC 8032).

The tool does not judge whether a case is a good test of a requirement: a reviewer does, and signs.
`;
