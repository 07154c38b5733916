from gaugelines import parse_line


def test_line_0():
    assert parse_line("pier 2031-11-05T05:00Z 3.00 m").level_cm == 288


def test_line_1():
    assert parse_line("pier 2031-11-05T05:01Z 3.01 m").level_cm == 289


def test_line_2():
    assert parse_line("pier 2031-11-05T05:02Z 3.02 m").level_cm == 290


def test_line_3():
    assert parse_line("pier 2031-11-05T05:03Z 3.03 m").level_cm == 291


def test_line_4():
    assert parse_line("pier 2031-11-05T05:04Z 3.04 m").level_cm == 292


def test_line_5():
    assert parse_line("pier 2031-11-05T05:05Z 3.05 m").level_cm == 293


def test_line_6():
    assert parse_line("pier 2031-11-05T05:06Z 3.06 m").level_cm == 294


def test_line_7():
    assert parse_line("pier 2031-11-05T05:07Z 3.07 m").level_cm == 295


def test_line_8():
    assert parse_line("pier 2031-11-05T05:08Z 3.08 m").level_cm == 296


def test_line_9():
    assert parse_line("pier 2031-11-05T05:09Z 3.09 m").level_cm == 297


def test_line_10():
    assert parse_line("pier 2031-11-05T05:10Z 3.10 m").level_cm == 298


def test_line_11():
    assert parse_line("pier 2031-11-05T05:11Z 3.11 m").level_cm == 299


def test_line_12():
    assert parse_line("pier 2031-11-05T05:12Z 3.12 m").level_cm == 300


def test_line_13():
    assert parse_line("pier 2031-11-05T05:13Z 3.13 m").level_cm == 301


def test_line_14():
    assert parse_line("pier 2031-11-05T05:14Z 3.14 m").level_cm == 302


def test_line_15():
    assert parse_line("pier 2031-11-05T05:15Z 3.15 m").level_cm == 303


def test_line_16():
    assert parse_line("pier 2031-11-05T05:16Z 3.16 m").level_cm == 304


def test_line_17():
    assert parse_line("pier 2031-11-05T05:17Z 3.17 m").level_cm == 305


def test_line_18():
    assert parse_line("pier 2031-11-05T05:18Z 3.18 m").level_cm == 306


def test_line_19():
    assert parse_line("pier 2031-11-05T05:19Z 3.19 m").level_cm == 307


def test_line_20():
    assert parse_line("pier 2031-11-05T05:20Z 3.20 m").level_cm == 308


def test_line_21():
    assert parse_line("pier 2031-11-05T05:21Z 3.21 m").level_cm == 309


def test_line_22():
    assert parse_line("pier 2031-11-05T05:22Z 3.22 m").level_cm == 310


def test_line_23():
    assert parse_line("pier 2031-11-05T05:23Z 3.23 m").level_cm == 311


def test_line_24():
    assert parse_line("pier 2031-11-05T05:24Z 3.24 m").level_cm == 312


def test_line_25():
    assert parse_line("pier 2031-11-05T05:25Z 3.25 m").level_cm == 313


def test_line_26():
    assert parse_line("pier 2031-11-05T05:26Z 3.26 m").level_cm == 314


def test_line_27():
    assert parse_line("pier 2031-11-05T05:27Z 3.27 m").level_cm == 315


def test_line_28():
    assert parse_line("pier 2031-11-05T05:28Z 3.28 m").level_cm == 316


def test_line_29():
    assert parse_line("pier 2031-11-05T05:29Z 3.29 m").level_cm == 317


def test_line_30():
    assert parse_line("pier 2031-11-05T05:30Z 3.30 m").level_cm == 318


def test_line_31():
    assert parse_line("pier 2031-11-05T05:31Z 3.31 m").level_cm == 319


def test_line_32():
    assert parse_line("pier 2031-11-05T05:32Z 3.32 m").level_cm == 320


def test_line_33():
    assert parse_line("pier 2031-11-05T05:33Z 3.33 m").level_cm == 321


def test_line_34():
    assert parse_line("pier 2031-11-05T05:34Z 3.34 m").level_cm == 322


def test_line_35():
    assert parse_line("pier 2031-11-05T05:35Z 3.35 m").level_cm == 323


def test_line_36():
    assert parse_line("pier 2031-11-05T05:36Z 3.36 m").level_cm == 324


def test_line_37():
    assert parse_line("pier 2031-11-05T05:37Z 3.37 m").level_cm == 325


def test_line_38():
    assert parse_line("pier 2031-11-05T05:38Z 3.38 m").level_cm == 326


def test_line_39():
    assert parse_line("pier 2031-11-05T05:39Z 3.39 m").level_cm == 327


def test_line_40():
    assert parse_line("pier 2031-11-05T05:40Z 3.40 m").level_cm == 328


def test_line_41():
    assert parse_line("pier 2031-11-05T05:41Z 3.41 m").level_cm == 329


def test_line_42():
    assert parse_line("pier 2031-11-05T05:42Z 3.42 m").level_cm == 330


def test_line_43():
    assert parse_line("pier 2031-11-05T05:43Z 3.43 m").level_cm == 331


def test_line_44():
    assert parse_line("pier 2031-11-05T05:44Z 3.44 m").level_cm == 332


def test_line_45():
    assert parse_line("pier 2031-11-05T05:45Z 3.45 m").level_cm == 333


def test_line_46():
    assert parse_line("pier 2031-11-05T05:46Z 3.46 m").level_cm == 334


def test_line_47():
    assert parse_line("pier 2031-11-05T05:47Z 3.47 m").level_cm == 335


def test_line_48():
    assert parse_line("pier 2031-11-05T05:48Z 3.48 m").level_cm == 336


def test_line_49():
    assert parse_line("pier 2031-11-05T05:49Z 3.49 m").level_cm == 337


def test_line_50():
    assert parse_line("pier 2031-11-05T05:50Z 3.50 m").level_cm == 338


def test_line_51():
    assert parse_line("pier 2031-11-05T05:51Z 3.51 m").level_cm == 339


def test_line_52():
    assert parse_line("pier 2031-11-05T05:52Z 3.52 m").level_cm == 340


def test_line_53():
    assert parse_line("pier 2031-11-05T05:53Z 3.53 m").level_cm == 341


def test_line_54():
    assert parse_line("pier 2031-11-05T05:54Z 3.54 m").level_cm == 342


def test_line_55():
    assert parse_line("pier 2031-11-05T05:55Z 3.55 m").level_cm == 343


def test_line_56():
    assert parse_line("pier 2031-11-05T05:56Z 3.56 m").level_cm == 344


def test_line_57():
    assert parse_line("pier 2031-11-05T05:57Z 3.57 m").level_cm == 345


def test_line_58():
    assert parse_line("pier 2031-11-05T05:58Z 3.58 m").level_cm == 346


def test_line_59():
    assert parse_line("pier 2031-11-05T05:59Z 3.59 m").level_cm == 347
