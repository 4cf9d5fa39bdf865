import { useCiphers } from "../../src/crypto/ciphers";
import { openssl } from "../../src/platform/linux/openssl";

/** Tests that call the engine's parts encrypt as Eremos does. */
useCiphers(openssl);
